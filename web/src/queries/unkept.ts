import { useLocalStorage } from "@vueuse/core";
import type { Conditions, RuleChange } from "@/api/client";

/** A change of a rule that was left before it was kept, with what of its sentence was not finished. */
export interface Unkept {
  change: RuleChange;
  unfinished?: { when?: Conditions; must?: Conditions };
}

/**
 * Changes of rules that were left without keeping them, by kind, field, family and rule. They are there again
 * after the page was left, and in the next session of the browser.
 */
export function useUnkept() {
  const all = useLocalStorage<Record<string, Unkept>>("codicil-unkept-rules", {});
  return {
    has: (place: string) => place in all.value,
    get: (place: string) => all.value[place],
    set(place: string, left: Unkept) {
      all.value = { ...all.value, [place]: left };
    },
    delete(place: string) {
      all.value = Object.fromEntries(Object.entries(all.value).filter(([key]) => key !== place));
    },
  };
}
