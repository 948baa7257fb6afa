import { flushPromises } from "@vue/test-utils";
import { afterEach, describe, expect, it } from "vitest";
import { effectScope } from "vue";
import type { Plan, PlanRule } from "@/api/client";
import { useComparison } from "@/features/plan/comparison";
import { useShown } from "@/queries/codicils";
import { usePlan } from "@/queries/plan";
import { fillCatalog } from "./catalog";
import { serve } from "./server";

const rule = (id: number, change: Partial<PlanRule> = {}): PlanRule => ({
  id,
  state: "in force",
  sound: true,
  phrase: `rule ${id}`,
  sentence: "",
  inherited: false,
  width: 1,
  occasions: "",
  ...change,
});
const plan = (stations: Record<string, PlanRule[]>): Plan => ({
  fields: [
    { key: "country", label: "Country", stations },
    { key: "limit", label: "Limit", stations: { default: [rule(9)] } },
  ],
});

/** What a test begins ends with it: it must not answer to what the next one changes. */
let living = effectScope();
afterEach(() => {
  living.stop();
  living = effectScope();
});

async function compared(own: Record<string, PlanRule[]>, there: Record<string, PlanRule[]>) {
  fillCatalog();
  serve({ "GET /plan": (_: never, query) => plan(query.get("company") === "30" ? own : there) });
  const comparison = living.run(() => useComparison())!;
  Object.assign(usePlan().scope, { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24" });
  await flushPromises();
  comparison.with = { company: "10", type: "TRAD", rules: "" };
  await flushPromises();
  return comparison;
}

describe("two plans beside each other", () => {
  it("differ where other rules act, and nowhere else", async () => {
    const comparison = await compared({ default: [rule(1)] }, { default: [rule(2)], validate: [rule(3)] });
    expect([...comparison.differences.keys()]).toEqual(["country"]);
    expect(comparison.differences.get("country")?.get("default")?.[0]?.phrase).toBe("rule 2");
    expect(comparison.differences.get("country")?.get("validate")).toHaveLength(1);
  });

  it("do not differ by drafts and suspended rules", async () => {
    const comparison = await compared(
      { default: [rule(1), rule(5, { state: "draft" })] },
      { default: [rule(1)], entry: [rule(6, { state: "suspended" })] },
    );
    expect(comparison.differences.size).toBe(0);
  });

  it("show that a rule here has none there", async () => {
    const comparison = await compared({ entry: [rule(4)] }, {});
    expect(comparison.differences.get("country")?.get("entry")).toEqual([]);
  });

  it("differ by other rules where the same rule says something else", async () => {
    fillCatalog();
    const said = (words: string) => plan({ default: [rule(1, { sentence: words })] });
    serve({
      "GET /plan": (_: never, query) => said(query.get("rules") === "codicil-14" ? "longer" : "as ever"),
      "GET /codicils/14": () => ({ id: 14, state: "open", title: "Longer" }),
    });
    useShown().show("codicil-14");
    const comparison = living.run(() => useComparison())!;
    Object.assign(usePlan().scope, { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24" });
    await flushPromises();
    comparison.with = { company: "30", type: "TRAD", rules: "" };
    await flushPromises();
    expect(comparison.differences.get("country")?.get("default")?.[0]?.sentence).toBe("as ever");
    useShown().show("");
  });
});
