import { computed, ref, type ComputedRef, type InjectionKey } from "vue";
import { api, type Finding, type RuleChange } from "@/api/client";
import { readLines } from "@/api/lines";
import { change, useLines } from "@/queries/client";
import { format } from "@/queries/format";
import { useWhileTyping } from "@/queries/whileTyping";

/** What is found about the rules of a kind, or with "" about all rules and tables; undefined asks nothing. */
export function useFindings(kind: () => string | undefined) {
  return useLines<Finding>(
    () => (kind() === undefined ? undefined : ["findings", kind(), { ...format }]),
    () => (kind() ? `/findings?kind=${encodeURIComponent(kind()!)}` : "/findings"),
  );
}

/** The messages of findings that nobody has silenced, by rule: the marks on the plan. */
export function useFoundMarks(kind: () => string | undefined) {
  const found = useFindings(kind);
  return computed(() => {
    const marks = new Map<number, string[]>();
    for (const f of found.data ?? []) {
      if (f.silenced) continue;
      for (const r of f.rules) marks.set(r.id, [...(marks.get(r.id) ?? []), f.message]);
    }
    return marks;
  });
}

/** The marks for the cells of a plan. */
export const foundMarks: InjectionKey<ComputedRef<Map<number, string[]>>> = Symbol("found");

/** What is found about a rule as it is being written. */
export function useFoundWhileWriting(rule: () => RuleChange | undefined) {
  const told = useWhileTyping(
    rule,
    async (body, signal): Promise<Finding[]> => {
      const lines: Finding[] = [];
      await readLines(
        "/findings",
        { method: "POST", body, signal },
        (line) => lines.push(line as Finding),
        () => undefined,
      );
      return lines;
    },
    { now: true, pause: 400 },
  );
  return computed(() => told.answer ?? []);
}

/** Leaves a finding as it is, with a reason; without one that is taken back. */
export async function silence(f: Finding, reason: string) {
  await change(api.POST("/findings/silence", { body: { key: f.key, reason } }));
}

/** A look over the saved records, which somebody asks for and can stop. */
export function useDataLook() {
  const found = ref<Finding[]>();
  const done = ref(0);
  const total = ref(0);
  const problem = ref("");
  const looking = ref(false);
  let stopper: AbortController | undefined;

  async function look() {
    stopper?.abort();
    const mine = (stopper = new AbortController());
    const list: Finding[] = [];
    done.value = total.value = 0;
    problem.value = "";
    looking.value = true;
    try {
      await readLines(
        "/findings/data",
        { method: "GET", signal: mine.signal },
        (line) => {
          const said = line as Finding & { done?: number; total?: number };
          if (said.done === undefined) list.push(said);
          else [done.value, total.value] = [said.done, said.total!];
        },
        () => (found.value = [...list]),
      );
      found.value = list;
    } catch (error) {
      if (!mine.signal.aborted) problem.value = (error as Error).message;
    } finally {
      if (mine === stopper) looking.value = false;
    }
  }
  function stop() {
    stopper?.abort();
    looking.value = false;
  }
  return { found, done, total, problem, looking, look, stop };
}
