import type { Field } from "@/api/client";

export interface Choice {
  value: string;
  label: string;
}

/** What can be chosen for a field; nothing for fields that are typed freely. */
export function choicesOf(field?: Field): Choice[] {
  if (field?.type === "yes-no") return ["yes", "no"].map((value) => ({ value, label: "" }));
  return (field?.choices ?? []).map((c) => ({ value: c.code, label: c.label }));
}

/** Suggests choices by code or label; all of them once a code stands there in full. */
export function suggesting(choices: () => Choice[]) {
  return (query: string, answer: (found: Choice[]) => void) => {
    const wanted = query.toLowerCase();
    const all = choices();
    const chosen = all.some((c) => c.value.toLowerCase() === wanted);
    answer(all.filter((c) => chosen || `${c.value} ${c.label}`.toLowerCase().includes(wanted)));
  };
}
