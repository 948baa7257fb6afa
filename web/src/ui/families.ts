import type { Family, Kind, RuleBody, RuleState } from "@/api/client";

/** How the families are called on screens, what their station does, and the key that opens it in the plan. */
export const families: Record<Family, { label: string; does: string; letter: string; path: string }> = {
  entry: {
    label: "Entry",
    does: "how the field is met",
    letter: "e",
    // a gate
    path: "M2.5 12.5v-7a4.5 4.5 0 0 1 9 0v7M2.5 9h9",
  },
  source: {
    label: "Source",
    does: "comes from a linked record",
    letter: "s",
    // a bucket let down into a well
    path: "M7 1.500v4.500M3.500 6h7l-1 5h-5zM1.500 12.500h11",
  },
  default: {
    label: "Default",
    does: "fills a blank",
    letter: "d",
    // a drop in a cup
    path: "M7 1.5c1.5 2 2 2.7 2 3.7a2 2 0 1 1-4 0c0-1 .5-1.7 2-3.7zM1.5 9c.5 2.5 2.5 4 5.5 4s5-1.5 5.5-4",
  },
  compute: {
    label: "Compute",
    does: "computes the field",
    letter: "c",
    // the beam of a balance
    path: "M7 1.500v10M3.500 12.500h7M2 4h10M2 4l-1.200 3.500h2.400zM12 4l-1.200 3.500h2.400z",
  },
  substitute: {
    label: "Substitute",
    does: "replaces the value",
    letter: "u",
    // one leaf over another
    path: "M2 2.500h6v6H2zM6 6.500h6v6H6z",
  },
  validate: {
    label: "Validate",
    does: "must hold",
    letter: "v",
    // a plumb line
    path: "M3 1.500h8M7 1.500v6M7 7.500l2 2.5-2 3-2-3z",
  },
  "follow-up": {
    label: "Follow-up",
    does: "writes to a linked record",
    letter: "f",
    // a quill that leaves a line
    path: "M12 2C8 2.500 5 5 4 9.500L3 11.500M4 9.500c3.500 0 6-2 8-7.500M2 12.500h8",
  },
};

/** The field under which a rule stands in the plan: its own, the first of its section, or its link. */
export function fieldOf(kind: Kind | undefined, body: Pick<RuleBody, "family" | "target">): string {
  const section = body.target.startsWith(sectionPrefix) && body.target.slice(sectionPrefix.length);
  if (section) return kind?.fields.find((f) => f.section === section)?.key ?? "";
  if (body.family === "follow-up") return body.target.slice(0, body.target.lastIndexOf("."));
  return body.target;
}

/** Begins the target of a rule on all fields of a section. */
export const sectionPrefix = "section:";

/** Families whose rules give the field a value. */
export function givesValue(family: Family): boolean {
  return family !== "entry" && family !== "validate";
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
  "when not true": "did not act: its condition is not met",
  "other occasion": "did not act: not on this occasion",
  "not needed": "did not act: the field was filled, or its link did not change",
  "not taken": "not used: a person entered another value",
  "not reached": "not reached: the entry does not fit the field",
  failed: "failed",
  holds: "holds",
  speaks: "speaks",
  undecided: "did not act: a field it reads is blank",
};
