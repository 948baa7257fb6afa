import { computed, reactive, ref } from "vue";
import { RequestError, type Use } from "@/api/client";

/** Why something was not done, and what stands in the way. */
export interface Trouble {
  problem: string;
  uses: Use[];
  count: number;
}

export function troubleOf(error: unknown): Trouble {
  const told = error instanceof RequestError ? error.problem : undefined;
  return { problem: (error as Error).message, uses: told?.uses ?? [], count: told?.count ?? 0 };
}

const none: Trouble = { problem: "", uses: [], count: 0 };

/** Work that takes a moment and may be refused. */
export function useAttempt() {
  const trouble = ref<Trouble>(none);
  const working = ref(0);

  /** Tells whether the work was done; where not, trouble says why. */
  async function attempt(work: () => Promise<unknown>): Promise<boolean> {
    working.value++;
    try {
      await work();
      trouble.value = none;
      return true;
    } catch (error) {
      trouble.value = troubleOf(error);
      return false;
    } finally {
      working.value--;
    }
  }
  function forget() {
    trouble.value = none;
  }

  return reactive({ trouble, busy: computed(() => working.value > 0), attempt, forget });
}
