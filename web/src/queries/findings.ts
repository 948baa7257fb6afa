import { computed, type ComputedRef, type InjectionKey } from "vue";
import { api, type Finding, type RuleChange } from "@/api/client";
import { readLines } from "@/api/lines";
import { change, useAsked, useLines } from "@/queries/client";
import { format } from "@/queries/format";
import { often } from "@/queries/runs";
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

/** What the last look over the saved records found, asked for again as long as one goes on. */
export const useDataFindings = () =>
  useAsked(
    () => ["data findings", { ...format }],
    (signal) => api.GET("/findings/data", { signal }),
    { often: (found) => (found.looking ? often : false) },
  );

/** Begins a look over all saved records. */
export const lookOverRecords = () => change(api.POST("/runs/findings"));
