import { flushPromises, mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h } from "vue";
import type { RuleBody, RuleChange, RuleView } from "@/api/client";
import { useRuleDraft } from "@/features/rules/ruleDraft";
import { queryClient } from "@/queries/client";
import { tell } from "@/queries/news";
import { usePlan } from "@/queries/plan";
import { fillCatalog } from "./catalog";
import { json, serve } from "./server";

const body: RuleBody = {
  kind: "vendor",
  family: "default",
  target: "country",
  scope: { companies: null, types: null, from: "", until: "" },
  when: "",
  effect: { lifetime: "new only", value: '"JP"' },
  on: { new: true, change: true },
  priority: 100,
  note: { askedBy: "", askedOn: "", why: "" },
};

function view(change: Partial<RuleView>): RuleView {
  return {
    id: 7,
    version: 1,
    state: "in force",
    name: "n",
    proposedName: "n",
    named: false,
    body,
    sentence: "s",
    phrase: "p",
    problems: [],
    sound: true,
    proofs: [],
    isConstant: true,
    when: { join: "and", conditions: [] },
    ...change,
  };
}

/** Uses the draft as the pane does, in a component that can be left. */
function open(wanted = 7) {
  let draft!: ReturnType<typeof useRuleDraft>;
  const pane = mount(
    defineComponent({
      setup() {
        draft = useRuleDraft({ field: "country", family: "default" }, wanted);
        return () => h("div");
      },
    }),
  );
  return { draft, leave: () => pane.unmount() };
}

let current: RuleView;
const answers = {
  "GET /rules/7": () => current,
  "GET /plan": () => plan(),
  "POST /rules/read": (b: RuleChange) => view({ ...b, sentence: `reads ${b.body.effect.value}` }),
  "PUT /rules/7": (b: RuleChange) => (current = view({ body: b.body, version: 2 })),
  "POST /rules": (b: RuleChange) => json(view({ body: b.body, state: "draft" }), 201),
  "POST /rules/7/state": (b: { state: RuleView["state"]; version: number }) =>
    (current = { ...current, state: b.state }),
};
function plan() {
  const rule = {
    id: 7,
    state: "in force" as const,
    sound: true,
    phrase: "p",
    sentence: "s",
    inherited: true,
    width: 3,
    occasions: "",
  };
  return { fields: [{ key: "country", label: "country", stations: { default: [rule] } }] };
}

beforeEach(() => {
  vi.useFakeTimers();
  fillCatalog();
  current = view({});
  Object.assign(usePlan().scope, { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24" });
  queryClient.setQueryData(["plan", { ...usePlan().scope }], { ...plan(), kind: "vendor" });
  usePlan();
});

async function settle() {
  await vi.advanceTimersByTimeAsync(400);
  await flushPromises();
}

describe("the rule of a cell", () => {
  it("is read as it is written, and tried before it is kept", async () => {
    const asked = serve(answers);
    const { draft } = open();
    await settle();
    expect(draft.change?.id).toBe(7);
    expect(draft.dirty).toBe(false);
    draft.change!.body.effect.value = '"IE"';
    await settle();
    expect(draft.dirty).toBe(true);
    expect(draft.view?.sentence).toBe('reads "IE"');
    expect(usePlan().tried?.body.effect.value).toBe('"IE"');
    await draft.keep();
    expect(asked.some((a) => a.method === "PUT")).toBe(true);
    expect(draft.view?.version).toBe(2);
    expect(draft.dirty).toBe(false);
    expect(usePlan().tried).toBeUndefined();
  });

  it("is put aside when it is left, and there again on coming back", async () => {
    serve(answers);
    const first = open();
    await settle();
    first.draft.change!.body.effect.value = '"IE"';
    first.leave();
    await settle();
    expect(usePlan().tried).toBeUndefined();
    const again = open();
    await settle();
    expect(again.draft.change?.body.effect.value).toBe('"IE"');
    expect(again.draft.dirty).toBe(true);
    await again.draft.revert();
    await settle();
    expect(again.draft.change?.body.effect.value).toBe('"JP"');
    expect(again.draft.dirty).toBe(false);
  });

  it("drops what was put aside when somebody changed the rule meanwhile", async () => {
    serve(answers);
    const first = open();
    await settle();
    first.draft.change!.body.effect.value = '"IE"';
    first.leave();
    current = view({ version: 2, body: { ...body, effect: { lifetime: "new only", value: '"DK"' } } });
    const again = open();
    await settle();
    expect(again.draft.change?.body.effect.value).toBe('"DK"');
  });

  it("shows what somebody else saved, and takes nothing away that is being written", async () => {
    serve(answers);
    const { draft } = open();
    await settle();
    current = view({
      version: 2,
      sentence: "theirs",
      body: { ...body, effect: { lifetime: "new only", value: '"DE"' } },
    });
    const changed = () =>
      tell({
        changes: [{ kind: "rule", key: "7", by: "Tobias Rell", self: false }],
        presence: [],
        much: false,
      });
    await changed();
    await settle();
    expect(draft.change?.body.effect.value).toBe('"DE"');
    expect(draft.change?.version).toBe(2);

    draft.change!.body.effect.value = '"FR"';
    current = view({ version: 3, sentence: "theirs again" });
    await changed();
    await settle();
    expect(draft.change?.body.effect.value).toBe('"FR"');
    expect(draft.overtaken).toMatchObject({ by: "Tobias Rell", view: { sentence: "theirs again" } });
    await draft.settle("mine");
    expect(draft.change).toMatchObject({ version: 3, body: { effect: { value: '"FR"' } } });
    expect(draft.dirty).toBe(true);

    current = view({ version: 4 });
    await changed();
    await settle();
    await draft.settle("theirs");
    expect(draft.change).toMatchObject({ version: 4, body: { effect: { value: '"JP"' } } });
    expect(draft.overtaken).toBeUndefined();

    // Where too much changed to be told, it is looked at as well.
    current = view({ version: 5 });
    await tell({ changes: [], presence: [], much: true });
    await settle();
    expect(draft.change?.version).toBe(5);
  });

  it("shows what somebody saved while the rule was still on its way", async () => {
    let arrives!: () => void;
    const way = new Promise<void>((done) => (arrives = done));
    const before = current;
    let asked = 0;
    serve({ ...answers, "GET /rules/7": () => (asked++ ? current : way.then(() => before)) });
    const { draft } = open();
    await settle();
    expect(draft.change).toBeUndefined();
    current = view({ version: 2, sentence: "theirs" });
    await tell({
      changes: [{ kind: "rule", key: "7", by: "Tobias Rell", self: false }],
      presence: [],
      much: false,
    });
    arrives();
    await settle();
    expect(draft.view).toMatchObject({ version: 2, sentence: "theirs" });
  });

  it("keeps what is written while a change is being saved", async () => {
    let arrives!: () => void;
    const way = new Promise<void>((done) => (arrives = done));
    serve({
      ...answers,
      "PUT /rules/7": (b: RuleChange) => way.then(() => (current = view({ body: b.body, version: 2 }))),
    });
    const { draft } = open();
    await settle();
    draft.change!.body.effect.value = '"FR"';
    const saving = draft.keep();
    await settle();
    draft.change!.body.effect.value = '"DE"';
    arrives();
    await settle();
    await saving;
    expect(current.body.effect.value).toBe('"FR"');
    expect(draft.change).toMatchObject({ version: 2, body: { effect: { value: '"DE"' } } });
    expect(draft.dirty).toBe(true);
  });

  it("begins in the scope at hand, and is kept before it is put in force", async () => {
    const asked = serve(answers);
    const { draft } = open();
    await settle();
    draft.begin();
    expect(draft.isNew).toBe(true);
    expect(draft.change?.body.scope).toMatchObject({ companies: ["30"], types: ["TRAD"] });
    await draft.move("in force");
    const order = asked
      .filter((a) => a.method === "POST" && a.path.startsWith("/rules") && a.path !== "/rules/read")
      .map((a) => a.path);
    expect(order).toEqual(["/rules", "/rules/7/state"]);
    expect(draft.view?.state).toBe("in force");
  });

  it("shows the problems for which the server refuses it", async () => {
    const problem = {
      part: "value",
      severity: "error",
      code: "type",
      message: "no",
      start: 0,
      end: 1,
      line: 1,
      column: 1,
    };
    serve({
      ...answers,
      "PUT /rules/7": () => json({ code: "unsound-rule", detail: "mend it", problems: [problem] }, 422),
    });
    const { draft } = open();
    await settle();
    draft.change!.body.effect.value = "1";
    await settle();
    await draft.keep();
    expect(draft.problem).toBe(
      "the rule has errors and cannot be in force; correct them, or save it as a draft",
    );
    expect(draft.view?.problems[0]?.message).toBe("no");
    expect(draft.change?.body.effect.value).toBe("1");
  });
});
