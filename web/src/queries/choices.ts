import { api, ask, type Field, type Schemas } from "@/api/client";
import { useCatalog } from "@/queries/catalog";
import { written } from "@/queries/format";

/** How a value of the field is keyed. */
function inputOf(field?: Field): string {
  return field ? useCatalog().traits(field.type).input : "";
}

export interface Choice {
  value: string;
  label: string;
  /** What tells it from another of the same name. */
  about?: string;
}

/**
 * What can be chosen for a field, as a company uses and calls it; nothing for fields that are typed
 * freely or link to records.
 */
export function choicesOf(field?: Field, company = ""): Choice[] {
  if (inputOf(field) === "yes-no") return ["yes", "no"].map((value) => ({ value, label: "" }));
  return (field?.choices ?? [])
    .filter((c) => !company || !c.notIn?.includes(company))
    .map((c) => ({ value: c.code, label: c.labels?.[company] ?? c.label, about: periodOf(c) }));
}

/** Of which documents an option can be one, where it is not one of all. */
function periodOf(option: Schemas["Option"]): string | undefined {
  const parts = [
    option.from && `from ${written(option.from)}`,
    option.until && `until ${written(option.until)}`,
  ];
  return parts.filter(Boolean).join(" ") || undefined;
}

/** What a company calls a code of a field; undefined where it has no label. */
export function labelOf(field: Field, code: string, company: string): string | undefined {
  const option = field.choices?.find((c) => c.code === code);
  return option && (option.labels?.[company] ?? option.label);
}

/** Tells whether a list opens under the field. */
export function isChosen(field?: Field): boolean {
  return inputOf(field) === "link" || choicesOf(field).length > 0;
}

type Answer = (found: Choice[]) => void;

/**
 * Suggests choices by code or label, all of them once a code stands there in full;
 * for a link records by number and name, those that the company may name.
 */
export function suggesting(field: () => Field | undefined, company: () => string = () => "") {
  let asked = 0;
  return async (query: string, answer: Answer) => {
    const of = field();
    if (of && inputOf(of) === "link") {
      const turn = ++asked;
      const path = { kind: of.kind ?? "" };
      // A chosen record stands there with its name; the number finds it.
      const search = /^\S*\d\S* \S/.test(query) ? query.split(" ")[0]! : query;
      const found = await ask(
        api.GET("/links/{kind}", { params: { path, query: { search, company: company() } } }),
      ).catch(() => []);
      if (turn === asked) answer(found.map((o) => ({ value: o.number, label: o.title, about: o.about })));
      return;
    }
    const wanted = query.toLowerCase();
    const all = choicesOf(of, company());
    const chosen = all.some((c) => c.value.toLowerCase() === wanted);
    answer(all.filter((c) => chosen || `${c.value} ${c.label}`.toLowerCase().includes(wanted)));
  };
}
