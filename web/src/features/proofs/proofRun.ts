import { computed, reactive, ref, shallowRef, triggerRef } from "vue";
import type { ProofResult, Schemas } from "@/api/client";
import { readLines } from "@/api/lines";
import { format } from "@/queries/format";

/** A run of proofs whose results come one after the other, and that can be stopped. */
export function useProofRun() {
  const results = shallowRef(new Map<number, ProofResult>());
  const total = ref(0);
  const running = ref(false);
  const stopped = ref(false);
  const ranAt = ref<Date>();
  let stopper: AbortController | undefined;

  /** Runs proofs; together with what other proofs came to, the results of these take their place. */
  async function run(request: Omit<Schemas["RunRequest"], "format">, together = false) {
    stopper?.abort();
    const mine = (stopper = new AbortController());
    const found = new Map<number, ProofResult>(together ? results.value : []);
    results.value = found;
    total.value = 0;
    running.value = true;
    stopped.value = false;
    try {
      await readLines(
        "/proofs/progress",
        { method: "POST", body: { ...request, format }, signal: mine.signal },
        (line) => {
          const said = line as ProofResult & { total?: number };
          if (mine === stopper && said.total !== undefined) total.value = said.total;
          else found.set(said.proof, said);
        },
        () => triggerRef(results),
      );
      if (mine === stopper) ranAt.value = new Date();
    } catch (error) {
      if (!mine.signal.aborted) throw error;
    } finally {
      if (mine === stopper) running.value = false;
    }
  }

  function stop() {
    stopped.value = true;
    running.value = false;
    stopper?.abort();
  }

  const held = computed(() => [...results.value.values()].filter((r) => r.held).length);
  const failed = computed(() => results.value.size - held.value);
  return reactive({ results, total, running, stopped, ranAt, held, failed, run, stop });
}
