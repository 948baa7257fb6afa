import type { Schemas } from "@/api/client";
import { count, moment } from "@/queries/format";

/** What came of a rule in saves and postings, in words. */
export function used(use: Schemas["RuleUse"] | undefined): string {
  if (!use) return "";
  const records =
    use.standing === 1
      ? "1 record holds a value it gave"
      : `${count(use.standing)} records hold a value it gave`;
  const since = use.since ? ` since ${moment(use.since)}` : "";
  if (!use.acted) {
    return `It has not acted in a save or posting${since}${use.standing ? `; ${records}` : ""}.`;
  }
  const times = use.acted === 1 ? "1 save or posting" : `${count(use.acted)} saves and postings`;
  return `It acted in ${times}${since}, last ${moment(use.last ?? "")}; ${records}.`;
}
