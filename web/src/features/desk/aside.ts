import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";
import type { Document } from "@/api/client";
import { useSession } from "@/queries/session";

/** A document that was kept aside before it was saved. */
export interface Aside {
  document: Document;
  /** What it is recognised by. */
  words: string;
  at: string;
}

/** The most that are kept aside of a kind. */
const most = 50;

/** What a person kept aside of a kind, the newest first; it stays in this browser. */
export function useAside(kind: () => string) {
  const session = useSession();
  const all = useLocalStorage<Record<string, Aside[]>>("codicil-aside", {});
  const place = computed(() => `${session.person?.name ?? ""}/${kind()}`);
  const list = computed(() => all.value[place.value] ?? []);
  const put = (next: Aside[]) => (all.value = { ...all.value, [place.value]: next.slice(0, most) });
  return {
    list,
    add: (a: Aside) => put([a, ...list.value]),
    take(a: Aside): Document {
      put(list.value.filter((other) => other !== a));
      return a.document;
    },
  };
}
