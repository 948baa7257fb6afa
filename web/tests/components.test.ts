import { mount } from "@vue/test-utils";
import { createPinia } from "pinia";
import { describe, expect, it } from "vitest";
import type { Act, FieldOutcome, PlanRule } from "@/api/client";
import ActTold from "@/ui/ActTold.vue";
import MessageList from "@/ui/MessageList.vue";
import StationCell from "@/features/plan/StationCell.vue";

const shown = (text: string) => ({ value: text, text });
const act = (change: Partial<Act>): Act => ({
  rule: 1,
  version: 1,
  family: "default",
  phrase: "N45 when Country is JP",
  did: "acted",
  before: shown(""),
  after: shown("N45"),
  facts: [],
  ...change,
});
const rule = (change: Partial<PlanRule>): PlanRule => ({
  id: 1,
  state: "in force",
  sound: true,
  width: 3,
  occasions: "",
  phrase: "N45 when Country is JP",
  sentence: "the sentence",
  inherited: false,
  ...change,
});
const outcome = (acts: Act[]) => ({ key: "terms", acts }) as unknown as FieldOutcome;

function cell(rules: PlanRule[], acts?: Act[], messages: object[] = []) {
  return mount(StationCell, {
    props: {
      family: messages.length ? "validate" : "default",
      label: "Payment terms",
      rules,
      outcome: acts && outcome(acts),
      messages: messages as never,
      room: { before: 0, width: 200 },
    },
  });
}

describe("a cell of the plan", () => {
  it("says what stands there, and how many more", () => {
    expect(cell([rule({}), rule({ id: 2 })]).text()).toBe("N45 when Country is JP+1");
  });
  it("shows the value that was made once, and by which rule", () => {
    const text = cell([rule({ id: 2, phrase: "N30" }), rule({})], [act({})]).text();
    expect(text).toContain("N45 when Country is JP");
    expect(text.match(/N45/g)).toHaveLength(1);
  });
  it("tells a rule that rests, and one that is unfinished", () => {
    expect(cell([rule({ state: "suspended" })]).text()).toContain("suspended: ");
    expect(cell([rule({ state: "draft", sound: false })]).text()).toContain("unfinished: ");
  });
  it("shows a refusal before advice, without repeating the field", () => {
    const messages = [
      { severity: "advise", text: "Payment terms are long", field: "terms", code: "rule" },
      { severity: "refuse", text: "Payment terms is required", field: "terms", code: "required" },
    ];
    const w = cell([rule({})], [], messages);
    expect(w.text()).toContain("is required");
    expect(w.text()).not.toContain("Payment terms is");
    expect(w.text()).toContain("refused:");
  });
});

describe("a rule that is being written", () => {
  it("shows what it makes though it does not stand in the plan yet", () => {
    expect(cell([], [act({ rule: 0, phrase: "N45" })]).text()).toBe("N45");
  });
});

describe("what a rule did", () => {
  it("names the rule that went first", () => {
    const w = mount(ActTold, { props: { act: act({ did: "beaten", by: 9 }) } });
    expect(w.text()).toContain("was beaten by rule 9");
  });
  it("shows before and after, and the facts", () => {
    const w = mount(ActTold, { props: { act: act({ facts: [{ text: "country", value: "JP" }] }) } });
    expect(w.text()).toContain("blank → N45");
    expect(w.text()).toContain("JP");
  });
});

describe("a message that asks for a reason", () => {
  it("keeps what is being typed while the next answer comes, and gives it when it is left", async () => {
    const asks = {
      code: "treasury",
      rule: 4,
      field: "credit_limit",
      label: "Credit limit",
      severity: "confirm" as const,
      text: "Say who.",
    };
    const w = mount(MessageList, {
      props: { messages: [asks], kind: "vendor", reasons: {} },
      global: { plugins: [createPinia()] },
    });
    const input = w.find<HTMLInputElement>("input");
    input.element.value = "Agreed with";
    await input.trigger("input");
    await w.setProps({
      messages: [{ ...asks }, { ...asks, code: "other", severity: "advise" as const, text: "Late." }],
    });
    expect(w.text()).toContain("Late.");
    expect(input.element.value).toBe("Agreed with");
    input.element.value = "Agreed with Rina";
    await input.trigger("change");
    expect(w.emitted("reason")).toEqual([[4, "Agreed with Rina"]]);
  });
});
