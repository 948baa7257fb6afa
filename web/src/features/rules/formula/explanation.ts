import type { FormulaStep } from "@/api/client";

export interface Told {
  /** The part, with the values of the fields in it put beside them. */
  text: { text: string; value?: string }[];
  value: string;
  depth: number;
  start: number;
  end: number;
}

function inside(inner: FormulaStep, outer: FormulaStep): boolean {
  return (
    inner !== outer &&
    inner.start >= outer.start &&
    inner.end <= outer.end &&
    inner.end - inner.start < outer.end - outer.start
  );
}

/**
 * An explanation as it is read: every part that is more than a name, with the values of the names in it beside
 * them: "amount 1 480.00 > 1200 is true". A part that was looked at more than once has all its values.
 */
export function told(steps: FormulaStep[]): Told[] {
  const leaves = steps.filter((s) => !steps.some((other) => inside(other, s)));
  const parts = steps.filter((s) => !leaves.includes(s));
  const shown = parts.length ? parts : leaves;
  return shown.map((s) => ({
    text: leaves.includes(s) ? [{ text: s.text }] : annotated(s, leaves),
    value: valueOf(s),
    depth: shown.filter((other) => inside(s, other)).length,
    start: s.start,
    end: s.end,
  }));
}

export function valueOf(step: FormulaStep): string {
  const more = step.times > (step.values?.length ?? 1) ? " …" : "";
  return step.values ? step.values.map((v) => v || "blank").join(" · ") + more : step.value;
}

function annotated(step: FormulaStep, leaves: FormulaStep[]) {
  const pieces: { text: string; value?: string }[] = [];
  let at = step.start;
  const piece = (to: number) => step.text.slice(at - step.start, to - step.start);
  for (const leaf of leaves) {
    if (!inside(leaf, step) || leaf.start < at) continue;
    pieces.push({ text: piece(leaf.end), value: valueOf(leaf) });
    at = leaf.end;
  }
  if (at < step.end) pieces.push({ text: piece(step.end) });
  return pieces;
}

/** The smallest part at a place, for a look at its value. */
export function stepAt(steps: FormulaStep[], at: number): FormulaStep | undefined {
  return steps
    .filter((s) => s.start <= at && at <= s.end)
    .sort((a, b) => a.end - a.start - (b.end - b.start))[0];
}
