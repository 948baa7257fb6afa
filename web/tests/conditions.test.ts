import { flushPromises, mount } from "@vue/test-utils";
import { ElAutocomplete, ElSelect } from "element-plus";
import { beforeEach, describe, expect, it } from "vitest";
import type { Conditions } from "@/api/client";
import { choicesOf, suggesting } from "@/choices";
import ConditionEditor from "@/components/ConditionEditor.vue";
import { useCatalog } from "@/stores/catalog";
import { fillCatalog } from "./catalog";
import { json, serve } from "./server";

beforeEach(fillCatalog);

function editor(formula = "", conditions?: Conditions) {
  return mount(ConditionEditor, {
    props: { formula, conditions, word: "when", emptyWords: "Always." },
  });
}
const japan: Conditions = { join: "and", conditions: [{ field: "country", relation: "is", values: ["JP"] }] };

type Composed = { conditions: Conditions };
const composed = { "POST /conditions": (b: Composed) => ({ formula: JSON.stringify(b.conditions) }) };

describe("conditions as a sentence", () => {
  it("keeps a condition that was just added when the rule is read meanwhile", async () => {
    const w = editor();
    expect(w.text()).toContain("Always.");
    await w.find("button").trigger("click");
    await w.setProps({ conditions: { join: "and", conditions: [] } });
    expect(w.findAll(".condition")).toHaveLength(1);
  });

  it("asks for the formula once the condition is complete, and not before", async () => {
    const asked = serve(composed);
    const w = editor();
    await w.find("button").trigger("click");
    w.findComponent(ElSelect).vm.$emit("change", "limit");
    await flushPromises();
    const [from, to] = w.findAllComponents(ElAutocomplete);
    from!.vm.$emit("change", "1");
    await flushPromises();
    expect(asked).toHaveLength(0);
    to!.vm.$emit("change", "5");
    await flushPromises();
    expect(asked[0]?.body).toEqual({
      kind: "vendor",
      conditions: { join: "and", conditions: [{ field: "limit", relation: "between", values: ["1", "5"] }] },
    });
    expect(w.emitted("write")).toHaveLength(1);
  });

  it("splits the values of one of, and joins with or", async () => {
    const asked = serve(composed);
    const two: Conditions = {
      join: "or",
      conditions: [{ field: "country", relation: "one-of", values: ["JP"] }, ...japan.conditions],
    };
    const w = editor("some formula", two);
    w.findAllComponents(ElAutocomplete)[0]!.vm.$emit("change", "JP, IE,");
    await flushPromises();
    expect((asked[0]?.body as Composed).conditions.conditions[0]?.values).toEqual(["JP", "IE"]);
    expect((asked[0]?.body as Composed).conditions.join).toBe("or");
  });

  it("says what the server finds wrong, and keeps what was typed", async () => {
    serve({
      "POST /conditions": () =>
        json({ code: "incomplete-condition", detail: "Country has no value XX" }, 422),
    });
    const w = editor('country = "JP"', japan);
    w.findComponent(ElAutocomplete).vm.$emit("change", "XX");
    await flushPromises();
    expect(w.text()).toContain("Country has no value XX");
    expect(w.find("input[aria-label='Value of the condition']").exists()).toBe(true);
    expect(w.emitted("write")).toBeUndefined();
  });

  it("writes no formula when the last condition is removed", async () => {
    const w = editor('country = "JP"', japan);
    await w.find(".drop").trigger("click");
    expect(w.emitted("write")).toEqual([[""]]);
  });

  it("shows as a formula what no sentence can hold", () => {
    const w = editor("limit > entered.limit", undefined);
    expect(w.find("code").text()).toBe("limit > entered.limit");
    expect(w.find(".condition").exists()).toBe(false);
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
