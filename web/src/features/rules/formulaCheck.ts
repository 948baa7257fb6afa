import { useDebounceFn } from "@vueuse/core";
import { onBeforeUnmount, ref, watch } from "vue";
import { api, ask, type FormulaAnswer, type FormulaAsk } from "@/api/client";

/**
 * What the server says of a formula while it is written: what is wrong with it, and its value for the test document.
 * question is asked anew when it changes; an answer that comes after the question has changed is left aside.
 */
export function useFormulaCheck(question: () => FormulaAsk) {
  const answer = ref<FormulaAnswer>();
  /** The formula that the answer is about. */
  const checked = ref("");
  const problem = ref("");
  let gone = false;

  async function check() {
    const asked = question();
    if (gone) return;
    if (!asked.formula.trim()) {
      answer.value = undefined;
      checked.value = "";
      return;
    }
    try {
      const found = await ask(api.POST("/formulas/check", { body: asked }));
      if (gone || JSON.stringify(question()) !== JSON.stringify(asked)) return;
      answer.value = found;
      checked.value = asked.formula;
      problem.value = "";
    } catch (error) {
      problem.value = (error as Error).message;
    }
  }

  const soon = useDebounceFn(check, 120);
  watch(
    () => JSON.stringify(question()),
    () => void soon(),
  );
  void check();
  onBeforeUnmount(() => (gone = true));

  return { answer, checked, problem };
}
