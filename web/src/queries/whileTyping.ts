import { useDebounceFn } from "@vueuse/core";
import { onScopeDispose, reactive, ref, shallowRef, watch, type ShallowRef } from "vue";
import { troubleOf } from "@/queries/attempt";

/**
 * Asks for the newest only: what was asked before is taken back, and what it answers all the same is
 * dropped. Answers undefined where it was overtaken.
 */
export function newestOnly() {
  let stopper: AbortController | undefined;
  async function newest<T>(ask: (signal: AbortSignal) => Promise<T>): Promise<T | undefined> {
    stopper?.abort();
    const mine = (stopper = new AbortController());
    try {
      const answer = await ask(mine.signal);
      return mine.signal.aborted ? undefined : answer;
    } catch (error) {
      if (mine.signal.aborted) return undefined;
      throw error;
    }
  }
  newest.stop = () => stopper?.abort();
  return newest;
}

/** How long somebody has to have stopped typing before the server is asked, in milliseconds. */
const usualPause = 150;

/**
 * What the server says of something while it is being typed. question is what it is asked, undefined
 * nothing; a question that changed is asked a moment later. What it said last stays until it says
 * something else.
 */
export function useWhileTyping<Question, Answer>(
  question: () => Question | undefined,
  ask: (question: Question, signal: AbortSignal) => Promise<Answer>,
  { now = false, pause = usualPause } = {},
) {
  const answer = shallowRef() as ShallowRef<Answer | undefined>;
  const problem = ref("");
  const newest = newestOnly();
  let gone = false;

  async function check() {
    const asked = question();
    if (asked === undefined || gone) return;
    try {
      const found = await newest((signal) => ask(asked, signal));
      if (found === undefined) return;
      answer.value = found;
      problem.value = "";
    } catch (error) {
      problem.value = troubleOf(error).problem;
    }
  }

  const soon = useDebounceFn(check, pause);
  watch(
    () => JSON.stringify(question()),
    (next) => {
      newest.stop();
      if (next === undefined) {
        answer.value = undefined;
        problem.value = "";
      } else void soon();
    },
  );
  if (now) void check();
  onScopeDispose(() => {
    gone = true;
    newest.stop();
  });

  return reactive({ answer, problem });
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
