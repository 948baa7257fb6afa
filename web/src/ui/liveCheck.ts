import { useDebounceFn } from "@vueuse/core";
import { ref, watch, type Ref } from "vue";

/**
 * What the server says of something while it is being changed. What it says of an older state
 * is dropped; where it cannot be asked, what it said last stays.
 */
export function useLiveCheck<Asked, Answer>(
  source: () => Asked | undefined,
  ask: (asked: Asked) => Promise<Answer>,
  delay = 200,
) {
  const checked = ref() as Ref<Answer | undefined>;
  const state = () => JSON.stringify(source());
  const check = useDebounceFn(async () => {
    const asked = source();
    if (asked === undefined) return;
    const before = state();
    const answer = await ask(asked).catch(() => undefined);
    if (answer !== undefined && state() === before) checked.value = answer;
  }, delay);
  watch(state, (now) => (now === undefined ? (checked.value = undefined) : void check()));
  return checked;
}

export interface PlacedProblem {
  row: number;
  column?: string;
  message: string;
}

/** What is wrong with one cell; a problem of no column is one of the whole row. */
export function problemAt(problems: PlacedProblem[] | undefined, row: number, column?: string): string {
  return problems?.find((p) => p.row === row && (column === undefined || p.column === column))?.message ?? "";
}
