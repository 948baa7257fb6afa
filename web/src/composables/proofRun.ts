import { computed, ref, shallowRef, triggerRef } from "vue";
import { RequestError, type Problem, type ProofResult, type Schemas } from "@/api/client";
import { format } from "@/format";

/** A run of proofs whose results come one after the other, and that can be stopped. */
export function useProofRun() {
  const results = shallowRef(new Map<number, ProofResult>());
  const total = ref(0);
  const running = ref(false);
  const stopped = ref(false);
  const ranAt = ref<Date>();
  let stopper: AbortController | undefined;

  async function run(request: Omit<Schemas["RunRequest"], "format">) {
    stopper?.abort();
    const mine = (stopper = new AbortController());
    results.value = new Map();
    total.value = 0;
    running.value = true;
    stopped.value = false;
    try {
      const response = await fetch(
        new Request(new URL("/api/v1/proofs/progress", location.href), {
          method: "POST",
          headers: { "Content-Type": "application/json" },
          body: JSON.stringify({ ...request, format }),
          signal: mine.signal,
        }),
      );
      if (!response.ok) throw new RequestError((await response.json()) as Problem);
      await read(response.body!, mine);
      if (mine === stopper) ranAt.value = new Date();
    } catch (error) {
      if (!mine.signal.aborted) throw error;
    } finally {
      if (mine === stopper) running.value = false;
    }
  }

  async function read(body: ReadableStream<Uint8Array>, mine: AbortController) {
    const reader = body
      .pipeThrough(new TextDecoderStream() as never)
      .getReader() as ReadableStreamDefaultReader<string>;
    let rest = "";
    for (;;) {
      const { done, value } = await reader.read();
      if (done || mine !== stopper) return;
      const lines = (rest + value).split("\n");
      rest = lines.pop()!;
      for (const line of lines.filter(Boolean)) {
        const said = JSON.parse(line) as ProofResult & { total?: number };
        if (said.total !== undefined) total.value = said.total;
        else results.value.set(said.proof, said);
      }
      triggerRef(results);
    }
  }

  function stop() {
    stopped.value = true;
    running.value = false;
    stopper?.abort();
  }

  const held = computed(() => [...results.value.values()].filter((r) => r.held).length);
  const failed = computed(() => results.value.size - held.value);
  return { results, total, running, stopped, ranAt, held, failed, run, stop };
}
