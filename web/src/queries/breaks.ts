import { api, ask, RequestError, type Schemas } from "@/api/client";
import { change, useAsked, usePages } from "@/queries/client";
import { format } from "@/queries/format";

export type BrokenRule = Schemas["BrokenRule"];

/** Which saved records break the checks in force, as it was counted last. */
export const useBreaks = (kind: () => string) =>
  useAsked(
    () => (kind() ? ["breaks", kind(), { ...format }] : undefined),
    (signal) => api.GET("/breaks", { params: { query: { kind: kind() } }, signal }),
  );

export const countBreaks = (kind: string) => change(api.POST("/runs/breaks", { body: { kind } }));

/** The records that break one check. */
export const useBroken = (run: () => number | undefined, rule: () => number | undefined) =>
  usePages(
    () => (run() && rule() ? ["runs", run(), "hits", "rule", rule()] : undefined),
    (after, signal) => {
      const params = { path: { id: run()! }, query: { after: after || undefined, limit: 100, rule: rule() } };
      return api.GET("/runs/{id}/hits", { params, signal });
    },
    (page) => page.hits,
  );

/** Why a correction is not saved. */
export interface Hindrance {
  said: string;
  /** The rules that would let it pass for a reason; none where one refuses it. */
  asks: number[];
}

/**
 * Changes one value of a saved record by the same rules as its form, with the reasons that they ask for. Returns why
 * it is not accepted; undefined where it is.
 */
export async function correct(
  of: { kind: string; number: string },
  field: string,
  line: number,
  typed: string,
  reasons: Record<string, string>,
): Promise<Hindrance | undefined> {
  const params = { path: { kind: of.kind, number: of.number } };
  const kept = await ask(api.GET("/records/{kind}/{number}", { params }));
  const items = (values: Record<string, string>) =>
    Object.fromEntries(Object.entries(values).map(([key, value]) => [key, { value }] as const));
  const entered: Record<string, Schemas["EnteredItem"]> = items(kept.content.values);
  const lines = (kept.content.lines ?? []).map((l) => ({
    number: l.number,
    entered: items(l.values) as Record<string, Schemas["EnteredItem"]>,
  }));
  const column = field.replace(/^lines\./, "");
  const into = line ? lines.find((l) => l.number === line)?.entered : entered;
  if (into) into[column] = { typed };
  const document = {
    kind: of.kind,
    company: kept.company,
    type: kept.type,
    record: kept.number,
    entered,
    lines,
    reasons,
  };
  const body = { document: document as Schemas["Document"], version: kept.version, format: { ...format } };
  const answer = await change(api.POST("/records", { body }));
  if (answer.record) return undefined;
  const { messages } = answer.outcome;
  const refused = messages.some((m) => m.severity === "refuse");
  const asking = messages.filter((m) => m.severity === "confirm" && !m.reason);
  return {
    said: messages.map((m) => m.text).join("; "),
    asks: refused ? [] : asking.flatMap((m) => m.rule ?? []),
  };
}

/** Why something could not be done, in words. */
export const wordsOf = (error: unknown) => (error instanceof RequestError ? error.message : String(error));
