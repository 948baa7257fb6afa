import { flushPromises, mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import type { Field, KindEntry, Layout, Outcome } from "@/api/client";
import RecordForm from "@/features/records/RecordForm.vue";
import { useTrial } from "@/queries/trial";
import { fillCatalog } from "./catalog";
import { outcomeOf } from "./outcomes";
import { serve } from "./server";

function field(key: string, label: string, type: Field["type"] = "text"): Field {
  return { key, label, type, section: key.startsWith("lines.") ? "lines" : "general" };
}
const entry: KindEntry = {
  kind: {
    key: "order",
    label: "Order",
    plural: "Orders",
    typeLabel: "Order type",
    prefix: "O",
    digits: 3,
    title: ["note"],
    posted: true,
    sections: [
      { key: "general", label: "General" },
      { key: "lines", label: "Lines" },
    ],
    fields: [
      field("note", "Note"),
      field("place", "Place"),
      field("lines.text", "Text"),
      field("lines.amount", "Amount", "amount"),
    ],
  },
  types: [],
  families: [],
};
const layout: Layout = {
  sections: [
    {
      key: "lines",
      label: "Goods",
      fields: [
        { key: "lines.amount", width: 3 },
        { key: "lines.text", width: 4, label: "What" },
      ],
    },
    {
      key: "general",
      fields: [
        { key: "place", width: 6, label: "Berth" },
        { key: "note", width: 4, hidden: true },
      ],
    },
  ],
};

async function form(outcome: Partial<Outcome>, more: Record<string, unknown> = {}) {
  const asked = serve({
    "POST /try": () => ({
      verdict: "accepted",
      day: "2026-11-24",
      today: "2026-11-24",
      version: { book: 1, program: "test" },
      fields: [],
      lines: [],
      messages: [],
      ...outcome,
    }),
  });
  const scope = { kind: "order", company: "30", type: "SO", day: "2026-11-24" };
  const trial = useTrial(
    scope,
    () => "saving",
    () => undefined,
    true,
  );
  trial.put({ ...scope, entered: {}, lines: [1, 2].map((number) => ({ number, entered: {} })) });
  await trial.tryDocument();
  const w = mount(RecordForm, {
    props: { entry, layout, trial, company: "30", ...more },
    attachTo: document.body,
  });
  return { w, trial, asked };
}
const labels = (w: Awaited<ReturnType<typeof form>>["w"]) => w.findAll("label").map((l) => l.text());

beforeEach(fillCatalog);

describe("the form of a record", () => {
  it("stands in the order and under the labels of its layout, without what that hides", async () => {
    const { w } = await form({});
    expect(w.findAll("h2").map((s) => s.text())).toEqual(["Goods", "General"]);
    expect(labels(w)).toEqual(["Berth"]);
    expect(w.find('[data-address="place"]').attributes("style")).toContain("span 6");
    expect(w.findAll('.head [role="columnheader"]').map((c) => c.text())).toEqual([
      "Line",
      "Amount",
      "What",
      "Remove",
    ]);
  });

  it("hides a field that a rule hides, and marks one that a rule requires", async () => {
    const hidden = await form({ fields: [outcomeOf("place", "", { access: "hidden" })] });
    expect(labels(hidden.w)).toEqual([]);
    const required = await form({ fields: [outcomeOf("place", "", { need: "required" })] });
    expect(required.w.find(".star").exists()).toBe(true);
  });

  it("says what is missing only when somebody has tried to save, and the rest at once", async () => {
    const messages: Outcome["messages"] = [
      { severity: "refuse", code: "required", field: "place", text: "Berth is required" },
      { severity: "refuse", code: "too-long", field: "place", text: "Berth is too long" },
      { severity: "refuse", code: "rule", field: "lines.amount", line: 2, text: "too much" },
    ];
    const before = await form({ messages });
    expect(before.w.findAll(".says").map((m) => m.text())).toEqual(["too much", "Berth is too long"]);
    const after = await form({ messages }, { strict: true });
    expect(after.w.findAll(".says").map((m) => m.text())).toContain("Berth is required");
  });

  it("takes a value of a line at its address", async () => {
    const { w, asked } = await form({});
    const input = w.find<HTMLInputElement>('[data-address="lines.2.amount"] input');
    await input.trigger("focus");
    await input.setValue("12,5");
    await input.trigger("blur");
    await flushPromises();
    expect(w.emitted("changed")).toHaveLength(1);
    expect(asked.at(-1)!.body).toMatchObject({
      document: { lines: [{ number: 1 }, { number: 2, entered: { amount: { typed: "12,5" } } }] },
    });
  });

  it("adds a line after the others, and puts a removed one back", async () => {
    const { w, trial } = await form({});
    await w.find(".foot button").trigger("click");
    expect(trial.lines.value).toEqual([1, 2, 3]);
    await w.find('[aria-label="Remove line 2"]').trigger("click");
    expect(trial.lines.value).toEqual([1, 3]);
    const back = w.findAll(".foot button").at(-1)!;
    expect(back.text()).toBe("Restore line 2 back");
    await back.trigger("click");
    expect(trial.lines.value).toEqual([1, 2, 3]);
  });

  it("puts the cursor on a field of the header or of a line", async () => {
    const { w } = await form({});
    await w.vm.point("lines.text", 2);
    expect(document.activeElement?.getAttribute("aria-label")).toBe("What in line 2");
    await w.vm.point("place");
    expect(document.activeElement?.getAttribute("aria-label")).toBe("Berth");
  });

  it("cannot be typed in when it is posted", async () => {
    const { w } = await form({}, { readonly: true });
    expect(w.find("input").exists()).toBe(false);
    expect(w.find(".foot").exists()).toBe(false);
  });
});

describe("the cursor in lines", () => {
  const passed = outcomeOf("lines.text", "", { cursor: "passed over" });
  const lines = [1, 2].map((number) => ({ number, fields: [passed, outcomeOf("lines.amount", "5")] }));

  it("passes over what rules say, until a person turns that off for the document", async () => {
    const { w } = await form({ lines });
    const input = () => w.find<HTMLInputElement>('[aria-label="What in line 1"]');
    expect(input().element.tabIndex).toBe(-1);
    (w.vm as unknown as { assist: () => boolean }).assist();
    await flushPromises();
    expect(input().element.tabIndex).toBe(0);
  });

  it("asks in the line itself to key a new value again", async () => {
    const twice = outcomeOf("lines.amount", "5", { twice: true, made: "entered" });
    const { w, trial } = await form({ lines: [{ number: 1, fields: [twice] }] });
    await trial.enter("lines.1.amount", "5");
    const again = w.find<HTMLInputElement>('[aria-label="Amount in line 1, keyed again"]');
    await again.setValue("5");
    await again.trigger("blur");
    await flushPromises();
    expect(trial.entered.value["lines.1.amount"]).toMatchObject({ typed: "5", again: "5" });
  });
});
