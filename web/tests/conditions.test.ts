import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { ElAutocomplete } from "element-plus";
import { beforeEach, describe, expect, it } from "vitest";
import type { Conditions } from "@/api/client";
import { choicesOf, suggesting } from "@/queries/choices";
import ConditionEditor from "@/features/rules/ConditionEditor.vue";
import NameSelect from "@/features/rules/NameSelect.vue";
import ValueEditor from "@/features/rules/ValueEditor.vue";
import { useCatalog } from "@/queries/catalog";
import { choose } from "./select";
import { fillCatalog, names } from "./catalog";
import { json, serve } from "./server";

beforeEach(fillCatalog);

type Composed = { conditions: Conditions };
const composed = {
  "GET /names": () => names,
  "POST /conditions": (b: Composed) => ({ formula: JSON.stringify(b.conditions) }),
};

/** An editor of conditions on the limit, with the names that they may use. */
async function editor(
  formula = "",
  conditions?: Conditions,
  answers: Parameters<typeof serve>[0] = composed,
) {
  const asked = serve(answers);
  const w = mount(ConditionEditor, {
    props: { kind: "vendor", target: "limit", formula, conditions, word: "when", emptyWords: "Always." },
  });
  await flushPromises();
  const composes = () =>
    asked.filter((a) => a.path === "/conditions").map((a) => (a.body as Composed).conditions);
  return { w, composes };
}
/** Takes a field from the nth list of fields with the label. */
function pick(w: VueWrapper, label: string, field: string, nth = 0) {
  fields(w, label)[nth]!.vm.$emit("update:modelValue", field);
}
function fields(w: VueWrapper, label: string) {
  return w.findAllComponents(NameSelect).filter((s) => s.props("label") === label);
}
function offered(w: VueWrapper, label: string) {
  return fields(w, label)[0]!
    .props("names")
    .map((n) => n.name);
}
function button(w: VueWrapper, text: string) {
  return w.findAll("button").find((b) => b.text().startsWith(text))!;
}
const japan: Conditions = { join: "and", conditions: [{ field: "country", relation: "is", values: ["JP"] }] };

describe("conditions as a sentence", () => {
  it("keeps a condition that was just added when the rule is read meanwhile", async () => {
    const { w } = await editor();
    expect(w.text()).toContain("Always.");
    await w.find("button").trigger("click");
    await w.setProps({ conditions: { join: "and", conditions: [] } });
    expect(w.findAll(".condition")).toHaveLength(1);
  });

  it("asks for the formula once the condition is complete, and not before", async () => {
    const { w, composes } = await editor();
    await w.find("button").trigger("click");
    pick(w, "Field of the condition", "limit");
    await flushPromises();
    const [from, to] = w.findAllComponents(ElAutocomplete);
    from!.vm.$emit("change", "1");
    await flushPromises();
    expect(composes()).toHaveLength(0);
    to!.vm.$emit("change", "5");
    await flushPromises();
    expect(composes()).toEqual([
      { join: "and", conditions: [{ field: "limit", relation: "between", values: ["1", "5"] }] },
    ]);
    expect(w.emitted("write")).toHaveLength(1);
  });

  it("splits the values of one of, and joins with or", async () => {
    const two: Conditions = {
      join: "or",
      conditions: [{ field: "country", relation: "one-of", values: ["JP"] }, ...japan.conditions],
    };
    const { w, composes } = await editor("some formula", two);
    w.findAllComponents(ElAutocomplete)[0]!.vm.$emit("change", "JP, IE,");
    await flushPromises();
    expect(composes()[0]?.conditions[0]?.values).toEqual(["JP", "IE"]);
    expect(composes()[0]?.join).toBe("or");
  });

  it("compares with another field of the same type", async () => {
    const { w, composes } = await editor("limit > 5", {
      join: "and",
      conditions: [{ field: "limit", relation: "over", values: ["5"] }],
    });
    await w.find("[aria-label='Compare with another field']").trigger("click");
    expect(offered(w, "Field to compare with")).toEqual(["entered.limit"]);
    expect(composes()).toHaveLength(0);
    pick(w, "Field to compare with", "entered.limit");
    await flushPromises();
    expect(composes()).toEqual([
      {
        join: "and",
        conditions: [{ field: "limit", relation: "over", values: [], other: "entered.limit" }],
      },
    ]);
  });

  it("holds a group that is joined the other way, and says so in words", async () => {
    const { w, composes } = await editor('country = "JP"', japan);
    await button(w, "Add a group: and either … or …").trigger("click");
    expect(w.find(".group").text()).toContain("either");
    pick(w, "Field of the condition", "blocked", 1);
    pick(w, "Field of the condition", "limit", 2);
    await flushPromises();
    const values = w.findAllComponents(ElAutocomplete);
    values[1]!.vm.$emit("change", "yes");
    values[2]!.vm.$emit("change", "1");
    await flushPromises();
    values[3]!.vm.$emit("change", "9");
    await flushPromises();
    const group = (join: "and" | "or") => ({
      join,
      conditions: [
        { field: "blocked", relation: "is", values: ["yes"] },
        { field: "limit", relation: "between", values: ["1", "9"] },
      ],
    });
    const nested = (c: Conditions["conditions"][number]) => c.group;
    expect(composes().at(-1)?.conditions.map(nested)).toEqual([undefined, group("or")]);

    // Or outside is and inside: never the same word twice.
    await choose(w, "and or or", "or");
    await flushPromises();
    expect(composes().at(-1)?.join).toBe("or");
    expect(composes().at(-1)?.conditions.map(nested)).toEqual([undefined, group("and")]);
    expect(w.find(".group").text()).toContain("both");

    // A group of one is no group.
    await w.findAll(".group .drop")[0]!.trigger("click");
    await flushPromises();
    expect(w.find(".group").exists()).toBe(false);
    expect(composes().at(-1)?.conditions).toHaveLength(2);

    // And what has only a group left is that group.
    await button(w, "Add a group").trigger("click");
    await w.findAll(".drop")[0]!.trigger("click");
    await w.findAll(".drop")[0]!.trigger("click");
    expect(w.find(".group").exists()).toBe(false);
    expect(w.findAll(".condition")).toHaveLength(2);
  });

  it("says what the server finds wrong, and keeps what was typed", async () => {
    const { w } = await editor('country = "JP"', japan, {
      ...composed,
      "POST /conditions": () =>
        json({ code: "incomplete-condition", detail: "Country has no value XX" }, 422),
    });
    w.findComponent(ElAutocomplete).vm.$emit("change", "XX");
    await flushPromises();
    expect(w.text()).toContain("Country has no value XX");
    expect(w.find("input[aria-label='Value of the condition']").exists()).toBe(true);
    expect(w.emitted("write")).toBeUndefined();
  });

  it("writes no formula when the last condition is removed", async () => {
    const { w } = await editor('country = "JP"', japan);
    await w.find(".drop").trigger("click");
    expect(w.emitted("write")).toEqual([[""]]);
  });

  it("shows as a formula what no sentence can hold", async () => {
    const { w } = await editor("limit > entered.limit", undefined);
    expect(w.find("code").text()).toBe("limit > entered.limit");
    expect(w.find(".condition").exists()).toBe(false);
  });
});

describe("the value that a field gets", () => {
  async function value(formula: string, more: { constant?: string; fieldValue?: string } = {}) {
    const asked = serve({
      "GET /names": () => names,
      "POST /constants": (b: { text: string }) => ({ formula: `<${b.text}>` }),
    });
    const field = useCatalog().field("limit")!;
    const w = mount(ValueEditor, {
      props: {
        target: "payment_terms",
        kind: "vendor",
        field,
        names: names.names,
        formula,
        isConstant: "constant" in more,
        word: "fill with",
        ...more,
      },
    });
    await flushPromises();
    return { w, asked };
  }

  it("is a value, written as a formula by the server", async () => {
    const { w } = await value("");
    w.findComponent(ElAutocomplete).vm.$emit("change", "1 200");
    await flushPromises();
    expect(w.emitted("write")).toEqual([["<1 200>"]]);
  });

  it("is that of a field whose type fits", async () => {
    const { w } = await value("5", { constant: "5" });
    await choose(w, "Kind of value", "field");
    await flushPromises();
    const label = "Field whose value Credit limit gets";
    expect(offered(w, label)).toEqual(["entered.limit"]);
    pick(w, label, "entered.limit");
    expect(w.emitted("write")).toEqual([[""], ["entered.limit"]]);
  });

  it("stays a formula when it is more than that", async () => {
    const { w } = await value("limit * 2");
    expect(w.find("code").text()).toBe("limit * 2");
    const field = await value("entered.limit", { fieldValue: "entered.limit" });
    expect(field.w.find("code").exists()).toBe(false);
  });
});

describe("choices", () => {
  it("are found by code or label, all of them once one is chosen", () => {
    const suggest = suggesting(() => useCatalog().field("country"));
    const found = (query: string) => {
      let codes: string[] = [];
      void suggest(query, (all) => (codes = all.map((c) => c.value)));
      return codes;
    };
    expect(found("ire")).toEqual(["IE"]);
    expect(found("jp")).toEqual(["JP", "IE"]);
    expect(found("x")).toEqual([]);
    expect(choicesOf(useCatalog().field("blocked")).map((c) => c.value)).toEqual(["yes", "no"]);
    expect(choicesOf(useCatalog().field("limit"))).toEqual([]);
  });
});
