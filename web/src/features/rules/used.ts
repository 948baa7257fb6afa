import type { RuleView } from "@/api/client";
import { count, moment } from "@/queries/format";

/** What came of a saved rule in saves and postings, in words. */
export function used({ use, body }: RuleView): string {
  if (!use) return "";
  const since = use.since ? ` since ${moment(use.since)}` : "";
  const times = use.acted === 1 ? "1 save or posting" : `${count(use.acted)} saves and postings`;
  const acted = use.acted
    ? `It acted in ${times}${since}, last ${moment(use.last ?? "")}`
    : `It has not acted in a save or posting${since}`;
  if (body.family === "entry" || body.family === "validate") return `${acted}.`;
  const records =
    use.standing === 1 ? "1 record holds" : `${use.standing ? count(use.standing) : "no"} records hold`;
  return `${acted}; ${records} a value it gave.`;
}
