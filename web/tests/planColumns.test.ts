import { describe, expect, it } from "vitest";
import type { Family, Field, PlanField } from "@/api/client";
import { railWidth, rooms, shareWidth } from "@/features/plan/planColumns";

const stations: Family[] = ["entry", "source", "default", "compute", "substitute", "validate"];
const field = (key: string, label = key): Field => ({ key, label, section: "general", type: "text" });
const row = (rules: Partial<Record<Family, string>>) =>
  Object.fromEntries(
    Object.entries(rules).map(([family, phrase]) => [family, [{ phrase }]]),
  ) as unknown as PlanField["stations"];

function columns(width: number, rules: Partial<Record<Family, string>>[], open = new Set<Family>()) {
  const fields = rules.map((_, i) => field(`f${i}`));
  return shareWidth(width, stations, fields, new Map(rules.map((r, i) => [`f${i}`, row(r)])), open);
}

describe("the columns of the plan", () => {
  it("fold to a rail where no rule stands, and open where one is being written", () => {
    const all = columns(1240, [{ default: "N45 when Country is JP" }]);
    expect(all.filter((c) => c.rail).map((c) => c.name)).toEqual([
      "entry",
      "source",
      "compute",
      "substitute",
      "validate",
    ]);
    expect(all.find((c) => c.name === "source")?.width).toBe(railWidth);
    const writing = columns(1240, [{}], new Set<Family>(["compute"]));
    expect(writing.find((c) => c.name === "compute")?.rail).toBe(false);
  });

  it("fill the width, stand in the order of the engine, and all fit beside an open rule", () => {
    const every = Object.fromEntries(stations.map((f) => [f, "a phrase of forty letters, or some more"]));
    for (const width of [881, 1240, 1900]) {
      const all = columns(width, [every, every]);
      const sum = all.reduce((total, c) => total + c.width, 0);
      expect(sum).toBeLessThanOrEqual(width);
      expect(sum).toBeGreaterThan(width - 20);
    }
    expect(columns(881, [every]).map((c) => c.name)).toEqual([
      "field",
      "entered",
      "entry",
      "source",
      "default",
      "compute",
      "substitute",
      "result",
      "validate",
    ]);
  });
});

describe("the room of a text", () => {
  const all = columns(1240, [Object.fromEntries(stations.map((f) => [f, "some phrase"]))]);
  const at = (name: string) => all.findIndex((c) => c.name === name);
  const found = (letters: Record<string, number>) => {
    const here = rooms(all, (i) => (i < 2 ? 0 : letters[all[i]!.name]));
    return (name: string) => here[at(name)]!;
  };

  it("is its own column, and as many empty ones after it as it needs", () => {
    const width = all[at("default")]!.width;
    expect(found({ default: 5 })("default").width).toBe(width);
    expect(found({ default: 30 })("default").width).toBeGreaterThan(width);
    const blocked = found({ default: 30, compute: 10 });
    expect(blocked("default").width + blocked("default").before).toBeGreaterThan(width);
    expect(blocked("compute").before).toBe(0);
  });

  it("goes before its column only where two lines are not enough, and never over what stands there", () => {
    const wide = found({ compute: 200, substitute: 5 });
    expect(wide("compute").before).toBeGreaterThan(0);
    expect(found({ compute: 20, substitute: 5 })("compute").before).toBe(0);
    const shared = found({ entry: 60, default: 300, substitute: 4 });
    const claimed = shared("entry").width + shared("default").before;
    const between = all[at("entry")]!.width + all[at("source")]!.width;
    expect(claimed).toBeLessThanOrEqual(between + 1);
  });
});
