import { computed } from "vue";
import { api, ask, type ProofResult, type RuleChange } from "@/api/client";
import { askOnce } from "@/queries/client";
import { format } from "@/queries/format";
import { useWhileTyping } from "@/queries/whileTyping";

/**
 * The proofs that hold now and would fail with a rule as it is being written. What holds now is asked once
 * and known until something is changed; an edit runs the proofs once, with the rule.
 */
export function useBreaks(change: () => RuleChange | undefined) {
  const would = useWhileTyping(
    change,
    async (rule, signal): Promise<ProofResult[]> => {
      const kind = rule.body.kind;
      const [now, then] = await Promise.all([
        askOnce(["proofs", "run", kind], () => api.POST("/proofs/run", { body: { kind, format } }), Infinity),
        ask(api.POST("/proofs/run", { body: { kind, rule, format }, signal })),
      ]);
      const held = new Set(now.results.filter((r) => r.held).map((r) => r.proof));
      return then.results.filter((r) => !r.held && held.has(r.proof));
    },
    { now: true, pause: 400 },
  );
  return computed(() => would.answer ?? []);
}
