import { api, type Schemas } from "@/api/client";
import { useAsked } from "@/queries/client";

export type CodeList = Schemas["CodeList"];
export type CodeListSummary = Schemas["CodeListSummary"];

export const useLists = () =>
  useAsked(
    () => ["tables", "lists"],
    (signal) => api.GET("/tables/lists", { signal }),
  );

/** The standards whose codes every browser can name in the person's language. */
const named: Record<string, Intl.DisplayNamesType> = {
  "ISO 3166-1": "region",
  "ISO 4217": "currency",
  "ISO 639-1": "language",
};

/**
 * The options of a list in the person's language where its standard has names in it; what an
 * administrator called otherwise keeps that name.
 */
export function called(list: Schemas["CodeListOptions"], language: string): Schemas["Option"][] {
  const type = named[list.standard ?? ""];
  if (!type || language.startsWith("en")) return list.options;
  const names = new Intl.DisplayNames(language, { type, fallback: "none" });
  const own = new Set(list.renamed);
  return list.options.map((o) => {
    if (own.has(o.code)) return o;
    return { ...o, label: names.of(type === "language" ? o.code.toLowerCase() : o.code) ?? o.label };
  });
}
