import type { Field, FieldOutcome, KindEntry, Layout } from "@/api/client";
import { addressOf, ofLine } from "@/api/address";

/** A field where it stands on the desk. */
export interface Place {
  field: Field;
  label: string;
  width: number;
}

export interface DeskSection {
  key: string;
  label: string;
  /** Those that are keyed, and those that rules give and the cursor passes over. */
  keyed: Place[];
  given: Place[];
}

/** What decides where a field stands. */
export interface Asked {
  /** What came of a field, by its address. */
  outcomeOf: (address: string) => FieldOutcome | undefined;
  /** The numbers of the lines, with the one that is not begun. */
  lines: number[];
  /** The cursor passes over what rules say. */
  assisted: boolean;
  /** The keys of fields that stay in sight: opened by hand, or something is said of them. */
  opened: Set<string>;
  /** The address of the field that the cursor is in. */
  standing: string;
}

/** Whether the cursor goes to a field by itself: not where a rule computes it, though it may have nothing to compute yet. */
export function goesTo(outcome: FieldOutcome | undefined, assisted: boolean): boolean {
  if (outcome?.access === "hidden" || outcome?.access === "read-only") return false;
  if (!assisted) return true;
  return outcome?.cursor !== "passed over" && !outcome?.acts?.some((a) => a.family === "compute");
}

/** The sections of a layout as they are keyed: what nobody keys takes no room among what somebody does. */
export function sectionsOf(entry: KindEntry, layout: Layout, asked: Asked): DeskSection[] {
  const isKeyed = (field: Field) => {
    if (asked.opened.has(field.key)) return true;
    const addresses = ofLine(field.key) ? asked.lines.map((n) => addressOf(field.key, n)) : [field.key];
    return addresses.some((a) => a === asked.standing || goesTo(asked.outcomeOf(a), asked.assisted));
  };
  const isHidden = (field: Field) =>
    !ofLine(field.key) && asked.outcomeOf(field.key)?.access === "hidden" && field.key !== asked.standing;
  return layout.sections
    .filter((s) => !s.hidden)
    .map((s) => {
      const places = s.fields.flatMap<Place>((at) => {
        const field = entry.kind.fields.find((f) => f.key === at.key);
        if (!field || at.hidden || isHidden(field)) return [];
        return [{ field, label: at.label || field.label, width: at.width }];
      });
      return {
        key: s.key,
        label: s.label || entry.kind.sections.find((k) => k.key === s.key)?.label || s.key,
        keyed: places.filter((p) => isKeyed(p.field)),
        given: places.filter((p) => !isKeyed(p.field)),
      };
    })
    .filter((s) => s.keyed.length || s.given.length);
}

/** Whether a line has the other side of a journal already: then the cursor has no business in this one. */
export function otherSide(entry: KindEntry, key: string, filled: (key: string) => boolean): boolean {
  const journal = entry.kind.journal;
  if (!journal || (key !== journal.debit && key !== journal.credit)) return false;
  const other = key === journal.debit ? journal.credit : journal.debit;
  return !filled(key) && filled(other);
}
