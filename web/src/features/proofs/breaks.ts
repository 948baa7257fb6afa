import { useDebounceFn } from "@vueuse/core";
import { ref, watch } from "vue";
import { api, ask, type ProofResult, type RuleChange } from "@/api/client";
import { format } from "@/ui/format";

/** The proofs that hold now and would fail with a rule as it is being written; run in the background. */
export function useBreaks(change: () => RuleChange | undefined) {
  const broken = ref<ProofResult[]>([]);
  const run = useDebounceFn(async () => {
    const rule = change();
    const asked = JSON.stringify(rule);
    if (!rule) return;
    const kind = rule.body.kind;
    const [now, then] = await Promise.all(
      [undefined, rule].map((r) =>
        ask(api.POST("/proofs/run", { body: { kind, rule: r, format } })).catch(() => undefined),
      ),
    );
    if (!now || !then || JSON.stringify(change()) !== asked) return;
    const held = new Set(now.results.filter((r) => r.held).map((r) => r.proof));
    broken.value = then.results.filter((r) => !r.held && held.has(r.proof));
  }, 500);
  watch(
    () => JSON.stringify(change()),
    (now) => {
      if (now === undefined) broken.value = [];
      else void run();
    },
    { immediate: true },
  );
  return broken;
}
