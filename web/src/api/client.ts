import createClient from "openapi-fetch";
import { reactive } from "vue";
import { textOf } from "@/api/notices";
import type { components, paths } from "@/api/schema";
import operations from "@/api/shown.json";

export type Schemas = components["schemas"];
export type Catalog = Schemas["Catalog"];
export type KindEntry = Schemas["KindEntry"];
export type Kind = Schemas["Kind"];
export type FieldType = Schemas["FieldType"];
export type Field = Schemas["Field"];
export type Band = Schemas["Band"];
export type Unique = Schemas["Unique"];
export type StandingView = Schemas["StandingView"];
export type Crosswalk = Schemas["Crosswalk"];
export type CrosswalkView = Schemas["CrosswalkView"];
export type CrosswalkSummary = Schemas["CrosswalkSummary"];
export type Series = Schemas["Series"];
export type SeriesView = Schemas["SeriesView"];
export type Plan = Schemas["Plan"];
export type PlanRule = Schemas["PlanRule"];
export type PlanField = Schemas["PlanField"];
export type Outcome = Schemas["Outcome"];
export type FieldOutcome = Schemas["FieldOutcome"];
export type Act = Schemas["Act"];
export type Message = Schemas["Message"];
export type RuleView = Schemas["RuleView"];
export type RuleBody = Schemas["RuleBody"];
export type RuleChange = Schemas["RuleChange"];
export type RuleState = Schemas["RuleState"];
export type Conditions = Schemas["Conditions"];
export type Condition = Schemas["Condition"];
export type Relation = Schemas["Relation"];
export type Name = Schemas["Name"];
export type FunctionHelp = Schemas["Function"];
export type FormulaAsk = Schemas["FormulaAsk"];
export type FormulaAnswer = Schemas["FormulaAnswer"];
export type FormulaStep = Schemas["FormulaStep"];
export type Problem = Schemas["Problem"];
export type Finding = Schemas["Finding"];
export type Proof = Schemas["Proof"];
export type Confirmation = Schemas["Confirmation"];
export type Suggestion = Schemas["Suggestion"];
export type ProofRun = Schemas["ProofRun"];
export type ProofResult = Schemas["ProofResult"];
export type Posting = Schemas["Posting"];
export type PostingSummary = Schemas["PostingSummary"];
export type RecordView = Schemas["Record"];
export type RecordRow = Schemas["RecordRow"];
export type RecordVersion = Schemas["RecordVersion"];
export type LinkOption = Schemas["LinkOption"];
export type Selection = Schemas["Selection"];
export type Layout = Schemas["Layout"];
export type LayoutView = Schemas["LayoutView"];
export type FollowOn = Schemas["FollowOn"];
export type Merge = Schemas["Merge"];
export type Use = Schemas["Use"];
export type Codicil = Schemas["Codicil"];
export type CodicilChange = Schemas["CodicilChange"];
export type Company = Schemas["Company"];
export type Type = Schemas["Type"];
export type LedgerName = Schemas["LedgerName"];
export type Document = Schemas["Document"];
export type EnteredItem = Schemas["EnteredItem"];
export type Family = RuleBody["family"];

/** A request that was answered with a problem, or not at all. */
export class RequestError extends Error {
  constructor(public readonly problem: Problem) {
    super(textOf(problem, problem.detail));
  }
}

/** needed grows whenever an answer says that nobody is signed in, and done whenever somebody has signed in. */
export const signIns = reactive({ needed: 0, done: 0 });

/** How the person writes numbers and dates, as the header that tells it; set by who knows it. */
export const person = { format: () => "" };

export const api = createClient<paths>({
  baseUrl: "/api/v1",
  fetch: (request) => {
    const format = person.format();
    if (format) request.headers.set("Person-Format", format);
    return globalThis.fetch(request); // looked up when asked, so that a test can answer
  },
});

/** By which rules is asked, where that can be said: "" is by those in force; set by who knows it. */
export const by = { rules: () => "" };
const shownBy = new Set(operations);
api.use({
  async onRequest({ request, schemaPath }) {
    if (!shownBy.has(`${request.method} ${schemaPath}`)) return undefined;
    const address = new URL(request.url, globalThis.location.href);
    const said = address.searchParams.get("rules"); // "" is by those in force, whatever is shown
    if (said || (said === null && !by.rules())) return undefined;
    if (said === "") address.searchParams.delete("rules");
    const url = said === "" ? address.href : withRules(request.url);
    const { method, headers, signal } = request;
    // A body that is handed on unread would be a stream, which browsers send by newer protocols only.
    const body = (await request.text()) || undefined;
    return new Request(url, { method, headers, signal, body });
  },
});

/** An address with by which rules it is asked. */
export function withRules(address: string): string {
  const rules = by.rules();
  return rules ? `${address}${address.includes("?") ? "&" : "?"}rules=${rules}` : address;
}

export interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** Waits for an answer and returns its data; throws a RequestError otherwise. */
export async function ask<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await request;
  } catch (cause) {
    if (cause instanceof DOMException && cause.name === "AbortError") throw cause;
    throw new RequestError({
      type: "about:blank",
      title: "No answer",
      status: 0,
      code: "offline",
      detail: "Codicil does not answer. Check that it is running; nothing you typed is lost.",
    });
  }
  if (answer.error !== undefined) {
    if ((answer.error as Problem).code === "sign-in-needed") signIns.needed++;
    throw new RequestError(answer.error as Problem);
  }
  return answer.data as T;
}
