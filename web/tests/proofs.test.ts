import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import type { Component } from "vue";
import type { Confirmation, Suggestion } from "@/api/client";
import RuleImpact from "@/features/rules/RuleImpact.vue";
import RuleProofs from "@/features/proofs/RuleProofs.vue";
import ConfirmedView from "@/features/proofs/ConfirmedView.vue";
import ProofsView from "@/features/proofs/ProofsView.vue";
import ReportView from "@/features/proofs/ReportView.vue";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { serve } from "./server";

beforeEach(fillCatalog);

async function show(component: Component, props: Record<string, unknown> = {}, address = "/") {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
  });
  await router.push(address);
  const w = mount(component, { props, global: { plugins: [router] } });
  await flushPromises();
  return { w, router };
}
const button = (w: VueWrapper, text: string) => w.findAll("button").find((b) => b.text().includes(text))!;

function confirmation(more: Partial<Confirmation> = {}): Confirmation {
  return {
    rule: 7,
    version: 2,
    ruleState: "in force",
    sentence: "For vendors, fill Terms with N30.",
    family: "default",
    target: "limit",
    field: "Credit limit",
    companies: [],
    types: [],
    state: "proved to act",
    goals: [
      { words: "that it acts", proofs: [3] },
      { words: "that it does not act", proofs: [] },
    ],
    reached: 1,
    proofs: [3],
    strength: { mutants: 10, noticed: 9, unnoticed: ["it acted always"], aside: [] },
    ...more,
  };
}
function suggestion(name: string, more: Partial<Suggestion> = {}): Suggestion {
  return {
    name,
    document: { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24", entered: {} },
    differs: ["Country IE"],
    origin: "proof 3, a name",
    verdict: "accepted",
    result: "Terms stays blank",
    shows: ["that it does not act"],
    notices: ["it acted always"],
    ...more,
  };
}
/** Lines of JSON as the server streams them; each piece arrives when it is let go. */
function stream(...pieces: object[][]) {
  const encoder = new TextEncoder();
  let next: ReadableStreamDefaultController<Uint8Array>;
  const body = new ReadableStream<Uint8Array>({ start: (c) => void (next = c) });
  const rest = [...pieces];
  return {
    response: () => new Response(body, { status: 200, headers: { "Content-Type": "application/x-ndjson" } }),
    more: async () => {
      const piece = rest.shift();
      if (piece) next.enqueue(encoder.encode(piece.map((line) => JSON.stringify(line) + "\n").join("")));
      if (!rest.length) next.close();
      await flushPromises();
      await flushPromises();
    },
  };
}

describe("the proofs of a rule", () => {
  it("tell what is shown, what is missing and what nobody would notice", async () => {
    serve({ "GET /rules/7/confirmation": () => confirmation() });
    const { w } = await show(RuleProofs, { rule: 7, version: 2 });
    expect(w.find(".state").text()).toContain("proved to act");
    expect(w.find(".state").text()).toContain("1 of 2 shown");
    expect(w.find(".state").text()).toContain("strength 90 %");
    expect(w.text()).toContain("that it does not act");
    expect(w.text()).toContain("it acted always");
  });

  it("are filled by suggestions that are accepted, one or all, and marked as unread", async () => {
    const kept: { name: string; unread: boolean; rules: number[] }[] = [];
    let state = confirmation();
    serve({
      "GET /rules/7/confirmation": () => state,
      "POST /rules/7/suggestions": () => [
        suggestion("one"),
        suggestion("two", { differs: [] }),
        suggestion("three"),
      ],
      "POST /proofs": (b: { name: string; unread: boolean; rules: number[] }) => (kept.push(b), { id: 9 }),
    });
    const { w } = await show(RuleProofs, { rule: 7, version: 2 });
    await button(w, "Suggest proofs for that").trigger("click");
    await flushPromises();
    expect(w.findAll(".suggestion")).toHaveLength(3);
    expect(w.find(".suggestion").text()).toMatch(/With Country IE:\s+Terms stays blank\./);
    expect(w.find(".suggestion").text()).toContain("would notice if it acted always");
    await w.findAll(".suggestion")[1]!.find(".plain").trigger("click");
    expect(w.findAll(".suggestion"), "one is skipped").toHaveLength(2);
    state = confirmation({
      state: "proved both ways",
      reached: 2,
      goals: confirmation().goals.map((g) => ({ ...g, proofs: [1] })),
      strength: { mutants: 10, noticed: 10, unnoticed: [], aside: [] },
    });
    await button(w, "Accept all 2").trigger("click");
    await flushPromises();
    expect(kept).toMatchObject([
      { name: "one", unread: true, rules: [7] },
      { name: "three", unread: true, rules: [7] },
    ]);
    expect(w.text()).toContain("2 proofs were saved");
    expect(w.text()).toContain("each of 10 slightly wrong versions is noticed");
  });

  it("say so when nothing more can be found", async () => {
    serve({ "GET /rules/7/confirmation": () => confirmation(), "POST /rules/7/suggestions": () => [] });
    const { w } = await show(RuleProofs, { rule: 7, version: 2 });
    await button(w, "Suggest proofs for that").trigger("click");
    await flushPromises();
    expect(w.text()).toContain("No more suggestions");
  });
});

describe("what a rule would do to existing records", () => {
  const hit = {
    kind: "vendor",
    number: "V1",
    title: "Fjord",
    company: "30",
    type: "TRAD",
    what: "refuse",
    told: "no street",
    said: "no street",
    changes: [],
  };
  const run = { id: 4, what: "impact", title: "Street", done: 0, total: 40, startedAt: "", startedBy: "Ada" };

  it("is told in numbers as far as it has come, then record by record", async () => {
    let now: object = { ...run, state: "running", done: 10, counts: { looked: 9, refused: 1, changed: 0 } };
    let hits: object[] = [hit];
    serve({
      "POST /runs": () => ({ ...run, state: "waiting" }),
      "GET /runs/4": () => now,
      "GET /runs/4/hits": () => ({ hits, next: "" }),
    });
    const { w } = await show(RuleImpact, { rule: 7, version: 2 });
    expect(w.text(), "nothing is looked at before somebody asks").toBe("Effect on existing records");
    await button(w, "Effect on existing records").trigger("click");
    await eventually(() => expect(w.find("[role=status]").text()).toContain("10 of 40 looked at"));
    expect(w.find("[role=status]").text()).toContain("Of 9 in its scope it would refuse 1 and change 0");
    await eventually(() => expect(w.find("li").text()).toContain("refuses: no street"));
    now = { ...run, state: "done", done: 40, counts: { looked: 40, refused: 1, changed: 1 } };
    hits = [hit, { ...hit, number: "V2", what: "change", told: "Street blank → Quay" }];
    await eventually(() => expect(w.findAll("li")[1]?.text()).toContain("changes: Street blank → Quay"));
    expect(w.find("[role=status]").text()).not.toContain("looked at");
  });

  it("is nothing, and says so", async () => {
    serve({
      "POST /runs": () => ({ ...run, state: "waiting" }),
      "GET /runs/4": () => ({
        ...run,
        state: "done",
        done: 40,
        counts: { looked: 40, refused: 0, changed: 0 },
      }),
      "GET /runs/4/hits": () => ({ hits: [], next: "" }),
    });
    const { w } = await show(RuleImpact, { rule: 7, version: 2, open: true });
    await eventually(() =>
      expect(w.find("[role=status]").text()).toBe("None of 40 in its scope would be refused or changed."),
    );
  });

  it("is stopped on demand", async () => {
    let stopped = 0;
    serve({
      "POST /runs": () => ({ ...run, state: "running" }),
      "GET /runs/4": () => ({ ...run, state: stopped ? "stopped" : "running", done: 10 }),
      "GET /runs/4/hits": () => ({ hits: [], next: "" }),
      "POST /runs/4/stop": () => ({ ...run, state: "stopped", done: ++stopped * 10 }),
    });
    const { w } = await show(RuleImpact, { rule: 7, version: 2, open: true });
    await eventually(() => expect(w.text()).toContain("Stop"));
    await button(w, "Stop").trigger("click");
    await eventually(() => expect(w.find("[role=status]").text()).toContain("stopped after 10 of 40"));
    expect(stopped).toBe(1);
  });
});

describe("the board", () => {
  const rules = [
    confirmation({
      rule: 1,
      state: "proved both ways",
      goals: [],
      strength: { mutants: 4, noticed: 4, unnoticed: [], aside: [] },
    }),
    confirmation({ rule: 2, state: "failing", sentence: "the failing one" }),
    confirmation({ rule: 3, companies: ["10"], sentence: "of another company" }),
    confirmation({
      rule: 4,
      state: "not proved",
      sentence: "the unproved one",
      strength: { mutants: 0, noticed: 0, unnoticed: [], aside: [] },
    }),
  ];
  const board = (address = "/proofs/confirmed") => {
    serve({ "GET /confirmation": () => rules });
    return show(ConfirmedView, {}, address);
  };

  it("puts what needs somebody first, and says what is next", async () => {
    const { w } = await board();
    const rows = w.findAll("tbody tr[data-rule]").map((r) => Number(r.attributes("data-rule")));
    expect(rows).toEqual([2, 4, 3, 1]);
    expect(w.find('[data-rule="2"]').text()).toContain("a proof of it fails");
    expect(w.find('[data-rule="4"]').text()).toContain("show: that it does not act");
    expect(w.find(".summary").text()).toContain("1 of 4 rules proved both ways");
  });

  it("counts the rules of each company and type, and shows those that are chosen", async () => {
    const { w, router } = await board();
    const cell = w.find(".heat button");
    expect(cell.text().replace(/\s+/g, " ")).toContain(
      "Trade goods in Kaisan: 1 of 3 rules proved both ways",
    );
    await cell.trigger("click");
    await flushPromises();
    expect(router.currentRoute.value.query).toEqual({ company: "30", type: "TRAD" });
    expect(w.findAll("tbody tr[data-rule]")).toHaveLength(3);
    expect(w.text()).not.toContain("of another company");
    expect(w.text()).toContain("confirmation report");
  });
});

describe("the kept proofs", () => {
  const proof = (id: number, more: object = {}) => ({
    id,
    name: `Proof number ${id}`,
    rules: [7],
    titles: [],
    given: { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24", entered: {} },
    expect: { verdict: "accepted", values: { limit: "5" }, messages: [] },
    ...more,
  });
  const held = (id: number) => ({ proof: id, held: true, differences: [] });

  it("are run with progress, failures come first, and a run can be stopped", async () => {
    const lines = stream(
      [{ total: 3 }, held(1)],
      [
        {
          proof: 2,
          held: false,
          since: [
            { rule: 7, from: 2, to: 3 },
            { rule: 8, from: 0, to: 1 },
          ],
          differences: [{ what: "value", label: "Credit limit", expected: "5", actual: "6" }],
        },
      ],
      [held(3)],
    );
    const asked = serve({
      "GET /proofs": () => [proof(1), proof(2), proof(3)],
      "POST /proofs/progress": () => lines.response(),
    });
    const { w } = await show(ProofsView, {}, "/proofs?company=30");
    expect(asked.find((a) => a.path === "/proofs/progress")!.body).toMatchObject({
      kind: "vendor",
      company: "30",
    });
    await lines.more();
    expect(w.find(".summary").text()).toContain("1 of 3 run");
    expect(w.find("[role=progressbar]").attributes("aria-valuenow")).toBe("1");
    await lines.more();
    expect(w.findAll(".name").map((n) => n.text())[0]).toBe("Proof number 2");
    await button(w, "Stop").trigger("click");
    await flushPromises();
    expect(w.find(".summary").text()).toContain("2 of 3 run, then stopped");
    await w.find(".name").trigger("click");
    expect(w.find(".since").text()).toContain("rule 7 was changed (version 2 to 3), rule 8 is new");
  });

  it("that were suggested are marked until somebody opens them", async () => {
    const lines = stream([{ total: 1 }, held(1)]);
    let read = false;
    serve({
      "GET /proofs": () => [proof(1, { unread: !read })],
      "POST /proofs/progress": () => lines.response(),
      "POST /proofs/1/read": () => ((read = true), proof(1)),
    });
    const { w } = await show(ProofsView, {}, "/proofs");
    await lines.more();
    expect(w.find(".unread").exists()).toBe(true);
    await w.find(".name").trigger("click");
    await flushPromises();
    await eventually(() => expect(w.find(".unread").exists()).toBe(false));
  });
});

describe("the report", () => {
  it("names rule, note, proofs and results for somebody who was not there", async () => {
    serve({
      "GET /confirmation/report": () => ({
        kind: "vendor",
        company: "30",
        type: "TRAD",
        day: "2026-11-24",
        ranAt: "2026-11-24T09:00:00Z",
        ranBy: "Ada",
        rules: [
          {
            confirmation: confirmation(),
            note: { askedBy: "Moya", askedOn: "2026-01-05", why: "returned payments" },
            reason: "the season begins",
            proofs: [
              { id: 3, name: "A complete vendor", held: true },
              { id: 4, name: "A poor one", held: false, why: "value limit: expected 5, came out 6" },
            ],
          },
        ],
      }),
    });
    const { w } = await show(ReportView, {}, "/proofs/report?kind=vendor&company=30&type=TRAD");
    const text = w.text();
    for (const part of [
      "by Ada",
      "0 of 1 rules are proved both ways",
      "1 proof fails",
      "Asked by Moya",
      "returned payments",
      "In force with a reason: the season begins",
      "✓ passes: A complete vendor",
      "✕ fails: A poor one (value limit: expected 5, came out 6)",
    ])
      expect(text).toContain(part);
    expect(w.find("a.button").attributes("href")).toBe(
      "/api/v1/confirmation/report/export?kind=vendor&company=30&type=TRAD",
    );
  });
});
