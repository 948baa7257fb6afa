import { ref } from "vue";
import { RequestError, type Use } from "@/api/client";

/** Work that may be refused: says why, and what stands in the way. */
export function useAttempt() {
  const problem = ref("");
  const uses = ref<Use[]>([]);
  const count = ref(0);
  const busy = ref(false);

  async function attempt(work: () => Promise<unknown>): Promise<boolean> {
    busy.value = true;
    try {
      await work();
      problem.value = "";
      uses.value = [];
      return true;
    } catch (error) {
      problem.value = (error as Error).message;
      uses.value = error instanceof RequestError ? (error.problem.uses ?? []) : [];
      count.value = error instanceof RequestError ? (error.problem.count ?? 0) : 0;
      return false;
    } finally {
      busy.value = false;
    }
  }

  return { problem, uses, count, busy, attempt };
}
