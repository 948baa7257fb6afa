import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import { ref } from "vue";
import type { Act, RuleChange } from "@/api/client";
import TestBar from "@/features/plan/TestBar.vue";
import { useBreaks } from "@/features/proofs/breaks";
import { usePlan } from "@/queries/plan";
import { choose, offered, select } from "./select";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { outcomeOf } from "./outcomes";
import { serve } from "./server";

beforeEach(fillCatalog);

const shown = (text: string) => ({ value: text, text });
function act(rule: number, did: Act["did"], phrase: string): Act {
  return {
    rule,
    version: 1,
    family: "default",
    phrase,
    did,
    before: shown(""),
    after: shown(""),
    facts: [],
  };
}
async function bar() {
  const kept: Record<string, unknown>[] = [];
  const tried: { document: { user?: string } }[] = [];
  serve({
    "GET /plan": () => ({ fields: [] }),
    "POST /try": (b: { document: { user?: string } }) => {
      tried.push(b);
      return {
        verdict: "accepted",
        day: "2026-11-24",
        today: "2026-11-24",
        version: { book: 1, program: "test" },
        messages: [],
        lines: [],
        fields: [
          outcomeOf("country", "JP", { acts: [act(3, "acted", "JP always")] }),
          outcomeOf("limit", "5", { acts: [act(4, "when not true", "7 when Blocked is yes")] }),
        ],
      };
    },
    "POST /proofs": (b: Record<string, unknown>) => (kept.push(b), { id: 9, name: "Five" }),
    "POST /try/rows": () => ({
      entered: { limit: { typed: "12" } },
      lines: [],
      ignored: ["Colour"],
    }),
  });
  const plan = usePlan();
  Object.assign(plan.scope, { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24" });
  await plan.enter("country", "JP");
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
  });
  const w = mount(TestBar, { global: { plugins: [router] } });
  await flushPromises();
  return { w, plan, kept, tried };
}
const button = (w: VueWrapper, text: string) => w.findAll("button").find((b) => b.text() === text)!;
describe("keeping a test as a proof", () => {
  it("proves the rules that act and expects all values, unless somebody chooses", async () => {
    const { w, kept } = await bar();
    await button(w, "Save as proof").trigger("click");
    await flushPromises();
    expect(select(w, "Rules that it proves").props("modelValue")).toEqual([3]);
    await w.find('[aria-label="Name of the proof"]').setValue(" Five ");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept[0]).toMatchObject({ name: "Five", rules: [3] });
    expect(kept[0]).not.toHaveProperty("fields");
    expect(kept[0]).not.toHaveProperty("acting");
    expect(w.find("[role=status]").text()).toContain("Saved as proof 9");
  });

  it("may prove that a rule keeps still, expect chosen values, and that its rules act", async () => {
    const { w, kept } = await bar();
    await button(w, "Save as proof").trigger("click");
    await flushPromises();
    expect(offered(w, "Rules that it proves")).toEqual([3, 4]);
    await choose(w, "Rules that it proves", [3, 4]);
    await choose(w, "Values that the proof expects", ["limit"]);
    await w.find('input[type="checkbox"]').setValue(true);
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept[0]).toMatchObject({ rules: [3, 4], fields: ["limit"], acting: true });
    await button(w, "Save as proof").trigger("click");
    await flushPromises();
    expect(select(w, "Values that the proof expects").props("modelValue"), "the next begins anew").toEqual(
      [],
    );
  });

  it("is left without keeping anything", async () => {
    const { w, kept } = await bar();
    await button(w, "Save as proof").trigger("click");
    await w.find('[aria-label="Name of the proof"]').trigger("keydown.esc");
    expect(w.find("form").exists()).toBe(false);
    expect(kept).toEqual([]);
  });
});

describe("a test document", () => {
  it("is tried as another person", async () => {
    const { w, tried } = await bar();
    const input = w.find('[aria-label="Entered by"]');
    await input.setValue("Birk Holm");
    await input.trigger("blur");
    await flushPromises();
    expect(tried.at(-1)!.document.user).toBe("Birk Holm");
    expect(tried[0]!.document).not.toHaveProperty("user");
  });

  it("takes rows of a spreadsheet, and says what it passed over", async () => {
    const { w, plan } = await bar();
    await plan.paste("Limit\tColour\n12\tred\n", "country");
    await flushPromises();
    expect(plan.entered).toMatchObject({
      country: { value: expect.any(String) },
      limit: { value: expect.any(String) },
    });
    expect(w.find("[role=status]").text()).toContain("No field is called Colour");
    await button(w, "Dismiss").trigger("click");
    expect(w.text()).not.toContain("Colour");
  });
});

describe("a rule that is being written", () => {
  it("says which proofs it would break, and not those that fail anyway", async () => {
    const result = (proof: number, held: boolean) => ({ proof, held, differences: [] });
    serve({
      "POST /proofs/run": (b: { rule?: RuleChange }) => ({
        held: 0,
        failed: 0,
        ranAt: "",
        results: b.rule
          ? [result(1, false), result(2, false), result(3, true)]
          : [result(1, true), result(2, false), result(3, true)],
      }),
    });
    const change = ref<RuleChange | undefined>({ body: { kind: "vendor" } } as RuleChange);
    const broken = useBreaks(() => change.value);
    await eventually(() => expect(broken.value.map((b) => b.proof)).toEqual([1]));
    change.value = undefined;
    await flushPromises();
    expect(broken.value).toEqual([]);
  });
});
