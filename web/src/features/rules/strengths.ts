import { computed, ref, watch } from "vue";
import { api, type Confirmation } from "@/api/client";
import { askOnce } from "@/queries/client";
import { format } from "@/queries/format";

/** For how long strengths that were measured are good enough for a list, in milliseconds. */
const good = 60_000;

/** What proofs show of the rules of kinds, measured one kind after the other while the list is there already. */
export function useStrengths(kinds: () => string[]) {
  const found = ref(new Map<number, Confirmation>());
  watch(
    () => kinds().join(),
    async () => {
      for (const kind of kinds()) {
        const fetch = () => api.GET("/confirmation", { params: { query: { kind, strength: true } } });
        const measured = await askOnce(["confirmation", kind, { ...format }], fetch, good).catch(() => []);
        found.value = new Map([...found.value, ...measured.map((c) => [c.rule, c] as const)]);
      }
    },
    { immediate: true },
  );
  /** The share of slightly wrong versions that its proofs notice, in percent; undefined: not measured. */
  const percent = computed(
    () =>
      new Map(
        [...found.value.values()].flatMap((c) =>
          c.strength?.mutants
            ? [[c.rule, Math.floor((100 * c.strength.noticed) / c.strength.mutants)] as const]
            : [],
        ),
      ),
  );
  return { found, percent };
}
