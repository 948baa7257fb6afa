import type { Family, RuleState } from "@/api/client";

/** How the families are called on screens, and what their station does. */
export const families: Record<Family, { label: string; does: string; path: string }> = {
  entry: {
    label: "Entry",
    does: "how the field is met",
    // a gate
    path: "M2.5 12.5v-7a4.5 4.5 0 0 1 9 0v7M2.5 9h9",
  },
  default: {
    label: "Default",
    does: "fills a blank",
    // a drop in a cup
    path: "M7 1.5c1.5 2 2 2.7 2 3.7a2 2 0 1 1-4 0c0-1 .5-1.7 2-3.7zM1.5 9c.5 2.5 2.5 4 5.5 4s5-1.5 5.5-4",
  },
  compute: {
    label: "Compute",
    does: "computes the field",
    // the beam of a balance
    path: "M7 1.500v10M3.500 12.500h7M2 4h10M2 4l-1.200 3.500h2.400zM12 4l-1.200 3.500h2.400z",
  },
  substitute: {
    label: "Substitute",
    does: "replaces the value",
    // one leaf over another
    path: "M2 2.500h6v6H2zM6 6.500h6v6H6z",
  },
  validate: {
    label: "Validate",
    does: "must hold",
    // a plumb line
    path: "M3 1.500h8M7 1.500v6M7 7.500l2 2.5-2 3-2-3z",
  },
};

/** Families whose rules give the field a value. */
export function givesValue(family: Family): boolean {
  return family === "default" || family === "compute" || family === "substitute";
}

export const stateWords: Record<RuleState, string> = {
  draft: "draft",
  "in force": "in force",
  suspended: "suspended",
  retired: "retired",
};

/** What a rule did in a run, in words. */
export const did: Record<string, string> = {
  acted: "acted",
  beaten: "was beaten",
  "when not true": "kept still: its condition did not hold",
  "other occasion": "kept still: not on this occasion",
  "not needed": "kept still: the field was filled",
  "not reached": "was not reached: the entry does not fit the field",
  failed: "failed",
  holds: "holds",
  speaks: "speaks",
  undecided: "kept still: a field it reads is blank",
};
