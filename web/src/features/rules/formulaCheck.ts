import { computed, reactive } from "vue";
import { api, ask, type FormulaAsk } from "@/api/client";
import { useWhileTyping } from "@/queries/whileTyping";

/** What the server says of a formula while it is written: what is wrong with it, and its value for the test document. */
export function useFormulaCheck(question: () => FormulaAsk) {
  const check = useWhileTyping(
    () => (question().formula.trim() ? question() : undefined),
    async (body, signal) => ({
      formula: body.formula,
      answer: await ask(api.POST("/formulas/check", { body, signal })),
    }),
    { now: true },
  );
  return reactive({
    answer: computed(() => check.answer?.answer),
    /** The formula that the answer is about. */
    checked: computed(() => check.answer?.formula ?? ""),
    problem: computed(() => check.problem),
  });
}
