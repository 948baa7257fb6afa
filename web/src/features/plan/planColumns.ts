import type { Family, Field, PlanField } from "@/api/client";

/** A column of the plan: a station, or one of the values beside them. */
export interface Column {
  name: "field" | "entered" | "result" | Family;
  /** In pixels. */
  width: number;
  /** A station without a rule in this plan: its glyph alone is shown. */
  rail: boolean;
}

/** How wide a station is of which the glyph alone is shown. */
export const railWidth = 31;

const letter = 6.9;
/** Values come and go while somebody types; their columns keep the width of a usual one. */
const valueLetters = 19;
const padding = 18;

/** What a column needs at least and at most, in letters. */
const limits: Record<string, [number, number]> = {
  field: [16, 28],
  entered: [10, 24],
  entry: [9, 20],
  source: [9, 30],
  default: [10, 30],
  compute: [10, 30],
  substitute: [11, 30],
  result: [10, 24],
  validate: [18, 46],
};

/** How many letters a column would like: what nearly all of its texts have. */
function wish(lengths: number[]): number {
  const sorted = [...lengths].sort((a, b) => a - b);
  return sorted[Math.floor((sorted.length - 1) * 0.9)] ?? 0;
}

/** How many letters a phrase would like of its own column: it runs over empty ones after it, and into two lines. */
function wanted(row: PlanField["stations"], family: Family, stations: Family[]): number[] {
  const length = row[family]?.[0]?.phrase.length;
  if (!length) return [];
  const before: Family[] = stations.filter((f) => f !== "validate");
  let free = 0;
  for (let next = before.indexOf(family) + 1; next > 0 && next < before.length; next++) {
    if (row[before[next]!]?.length) break;
    free += 10;
  }
  return [Math.max(0, Math.ceil(length / (length > 24 ? 2 : 1)) - free)];
}

/**
 * Shares the width of the plan among its columns by what they hold. Where there is not enough for all, each
 * gives up of what it has beyond the least that it needs. The cost: once through the fields and rules.
 */
export function shareWidth(
  width: number,
  stations: Family[],
  fields: Field[],
  rules: Map<string, PlanField["stations"]>,
  /** Stations that are shown though no rule stands there: one is being written, or acts. */
  open: Set<Family>,
): Column[] {
  const lengths = new Map<string, number[]>([["field", fields.map((f) => f.label.length)]]);
  for (const family of stations) {
    const own = fields.flatMap((f) => wanted(rules.get(f.key) ?? {}, family, stations));
    if (own.length || open.has(family)) lengths.set(family, own);
  }
  lengths.set("entered", [valueLetters]).set("result", [valueLetters]);
  const names: Column["name"][] = [
    "field",
    "entered",
    ...stations.filter((f) => f !== "validate"),
    "result",
    ...stations.filter((f) => f === "validate"),
  ];
  const wants = names.map((name) => {
    const own = lengths.get(name);
    if (!own) return { least: railWidth, wanted: railWidth, rail: true };
    const [least, most] = limits[name]!;
    const pixels = (letters: number) => Math.round(letters * letter + padding);
    return { least: pixels(least), wanted: pixels(Math.max(least, Math.min(most, wish(own)))), rail: false };
  });
  const total = (of: (w: (typeof wants)[number]) => number) => wants.reduce((sum, w) => sum + of(w), 0);
  const least = total((w) => w.least);
  const all = total((w) => w.wanted);
  const share = (w: (typeof wants)[number]) => {
    if (w.rail) return w.least;
    if (width >= all) return w.wanted + ((width - all) * w.wanted) / total((v) => (v.rail ? 0 : v.wanted));
    if (width <= least) return w.least;
    return w.least + ((width - least) * (w.wanted - w.least)) / (all - least);
  };
  return names.map((name, i) => ({ name, width: Math.floor(share(wants[i]!)), rail: wants[i]!.rail }));
}

/** How far a text may run, in pixels, from before its column to after it. */
export interface Room {
  before: number;
  width: number;
}

/**
 * The room of the texts of one row, by column. A text runs over the empty columns after it as far as it needs, and one
 * that would still take more than two lines over those before it. letters tells how long the text of a column is,
 * 0 where nothing may run over it, undefined where it is empty. The cost: the square of the columns, of which there are nine.
 */
export function rooms(columns: Column[], letters: (column: number) => number | undefined): Room[] {
  const lengths = columns.map((_, i) => letters(i));
  const taken = lengths.map((length) => length !== undefined);
  const found = columns.map((c) => ({ before: 0, width: c.width }));
  const fits = (i: number, lines: number) =>
    lengths[i]! * letter <= lines * (found[i]!.width - padding) - (lines - 1) * 20;
  lengths.forEach((length, i) => {
    for (let next = i + 1; length && next < columns.length && !taken[next] && !fits(i, 1); next++) {
      taken[next] = true;
      found[i]!.width += columns[next]!.width;
    }
  });
  lengths.forEach((length, i) => {
    for (let next = i - 1; length && next > 1 && !taken[next] && !fits(i, 2); next--) {
      taken[next] = true;
      found[i]!.before += columns[next]!.width;
      found[i]!.width += columns[next]!.width;
    }
  });
  return found;
}
