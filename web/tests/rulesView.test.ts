import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import type { RuleView } from "@/api/client";
import CopyPane from "@/features/plan/CopyPane.vue";
import { usePlan } from "@/queries/plan";
import RulesView from "@/features/rules/RulesView.vue";
import { fillCatalog } from "./catalog";
import { json, serve } from "./server";

beforeEach(fillCatalog);

function rule(id: number, name: string, more: { state?: string; body?: object; reads?: string[] } = {}) {
  return {
    id,
    version: 1,
    state: "in force",
    name,
    proposedName: `Vendor: ${name}`,
    sentence: `For vendors, ${name}.`,
    phrase: name,
    field: "Credit limit",
    reads: ["country"],
    problems: [],
    moves: [],
    proofs: [],
    ...more,
    body: {
      kind: "vendor",
      family: "validate",
      target: "limit",
      scope: { companies: [], types: [], from: "", until: "" },
      when: "",
      effect: {},
      on: { new: true, change: true },
      priority: 1,
      note: { askedBy: "", askedOn: "", why: "" },
      ...more.body,
    },
  } as unknown as RuleView;
}
const rules = [
  rule(1, "limit is not negative"),
  rule(2, "limit follows the country", {
    reads: ["limit"],
    body: { family: "default", scope: { companies: ["20"], types: [], from: "", until: "" } },
  }),
  rule(3, "blocked vendors are refused", {
    state: "suspended",
    body: { target: "blocked", note: { askedBy: "Maja Holm", askedOn: "", why: "audit" } },
  }),
];

async function view(address = "/rules", more: Record<string, (body: never) => unknown> = {}) {
  const asked = serve({ "GET /rules": () => rules, ...more });
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: RulesView }],
  });
  await router.push(address);
  const w = mount(RulesView, { global: { plugins: [router] } });
  await flushPromises();
  return { w, asked, router };
}
const rows = (w: VueWrapper) =>
  w
    .findAll("tbody tr")
    .map((r) => rules.find((x) => r.text().includes(x.name))?.id)
    .filter(Boolean);
const button = (w: VueWrapper, text: string) => w.findAll("button").find((b) => b.text() === text)!;

describe("all rules", () => {
  it("are found by the filters in the address", async () => {
    expect(rows((await view()).w)).toEqual([1, 2, 3]);
    expect(rows((await view("/rules?state=suspended")).w)).toEqual([3]);
    expect(rows((await view("/rules?company=30")).w), "a rule without companies is for all").toEqual([1, 3]);
    expect(rows((await view("/rules?kind=vendor&writes=blocked")).w)).toEqual([3]);
    expect(rows((await view("/rules?kind=vendor&reads=country")).w)).toEqual([1, 3]);
    expect(rows((await view("/rules?search=holm%20audit")).w), "every word, in notes too").toEqual([3]);
  });

  it("put what is searched into the address, and back", async () => {
    const { w, router } = await view();
    await w.find("input[type=search]").setValue("negative");
    await flushPromises();
    expect(router.currentRoute.value.query.search).toBe("negative");
    expect(rows(w)).toEqual([1]);
    expect(w.text()).toContain("1 of 3");
    await button(w, "Show all").trigger("click");
    await flushPromises();
    expect(rows(w)).toEqual([1, 2, 3]);
  });

  it("are suspended together only after it was said what that affects", async () => {
    const moved: { rules: number[]; state: string; dry: boolean }[] = [];
    const { w } = await view("/rules", {
      "POST /rules/move": (b: { rules: number[]; state: string; dry: boolean }) => {
        moved.push(b);
        const affected = { affected: 41, looked: 24_000, whole: false };
        return { ...affected, inTheWay: [], rules: rules.filter((r) => b.rules.includes(r.id)) };
      },
    });
    await w.findAll<HTMLInputElement>("tbody input[type=checkbox]")[0]!.setValue(true);
    await w.findAll<HTMLInputElement>("tbody input[type=checkbox]")[1]!.setValue(true);
    await button(w, "Suspend …").trigger("click");
    await flushPromises();
    expect(moved).toEqual([{ rules: [1, 2], state: "suspended", dry: true }]);
    expect(w.text()).toContain("41 of the first 24,000 records and documents that are saved now");
    const go = w.findAll("button").find((b) => b.classes("first"))!;
    await go.trigger("click");
    await flushPromises();
    expect(moved.at(-1)).toEqual({ rules: [1, 2], state: "suspended", dry: false });
    expect(w.text()).toContain("2 rules are suspended now.");
  });

  it("are marked as far as they are found: what a filter hides is not moved", async () => {
    const moved: { rules: number[] }[] = [];
    const { w } = await view("/rules", {
      "POST /rules/move": (b: { rules: number[] }) => (
        moved.push(b),
        { affected: 0, looked: 3, whole: true, inTheWay: [], rules: [] }
      ),
    });
    await w.find<HTMLInputElement>("thead input[type=checkbox]").setValue(true);
    await w.find("input[type=search]").setValue("blocked");
    await flushPromises();
    await button(w, "Retire …").trigger("click");
    await flushPromises();
    expect(moved[0]!.rules).toEqual([3]);
  });

  it("say why they cannot be shown", async () => {
    const { w } = await view("/rules", {
      "GET /rules": () =>
        json({ code: "broken", detail: "the file is locked", status: 500, title: "", type: "" }, 500),
    });
    expect(w.find("[role=alert]").text()).toContain("the file is locked");
  });
});

describe("copying rules to another scope", () => {
  const copy = (id: number, more: object = {}) => ({
    rule: id,
    family: "validate",
    field: "Credit limit",
    sentence: `sentence ${id}`,
    phrase: `phrase ${id}`,
    ...more,
  });
  function pane(copies: object[]) {
    const sent: { dry: boolean; rules?: number[] }[] = [];
    serve({
      "POST /rules/copy": (b: { dry: boolean; rules?: number[] }) => {
        sent.push(b);
        return b.dry ? copies : b.rules!.map((id) => copy(id, { copy: id + 100 }));
      },
    });
    const plan = usePlan();
    plan.scope = { ...plan.scope, kind: "vendor", company: "30", type: "TRAD" };
    return { sent, w: mount(CopyPane, { props: { from: { company: "30", type: "TRAD" } } }) };
  }

  it("shows first which there are, and makes drafts of those that are left marked", async () => {
    const { w, sent } = pane([copy(1), copy(2), copy(3, { already: 9 })]);
    await flushPromises();
    expect(w.text()).toContain("sentence 1");
    expect(w.text()).toContain("1 already apply here");
    await w.findAll<HTMLInputElement>(".one input")[1]!.setValue(false);
    await button(w, "Copy 1 as drafts").trigger("click");
    await flushPromises();
    expect(sent.at(-1)).toMatchObject({ rules: [1], dry: false });
    expect(w.find("[role=status]").text()).toContain("1 draft was made");
  });

  it("says so when there is nothing to copy", async () => {
    const { w } = pane([copy(3, { already: 9 })]);
    await flushPromises();
    expect(w.text()).toContain("Every rule of that scope already applies here");
    expect(button(w, "Copy 0 as drafts").element.disabled).toBe(true);
  });
});
