import { mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import { reactive } from "vue";
import type { RuleBody } from "@/api/client";
import RuleEditor from "@/features/rules/RuleEditor.vue";
import { useCatalog } from "@/queries/catalog";
import { fillCatalog } from "./catalog";
import { choose } from "./select";

beforeEach(fillCatalog);

function check(effect: RuleBody["effect"] = { severity: "refuse", must: "limit > 1", message: "low" }) {
  const body: RuleBody = reactive({
    kind: "vendor",
    family: "validate",
    target: "limit",
    scope: { companies: [], types: [], from: "", until: "" },
    when: "",
    effect,
    on: { new: true, change: true },
    priority: 100,
    note: { askedBy: "", askedOn: "", why: "" },
  });
  const field = useCatalog().field("limit")!;
  return { body, w: mount(RuleEditor, { props: { modelValue: body, field, asFormula: true } }) };
}

describe("when a check speaks", () => {
  it("is always, until a moment is taken out; the last one stays", async () => {
    const { body, w } = check();
    const boxes = () => w.findAll<HTMLInputElement>(".moments input");
    expect(boxes().map((b) => b.element.checked)).toEqual([true, true, true]);
    await boxes()[0]!.setValue(false);
    expect(body.effect.moments).toEqual(["saving", "posting"]);
    await boxes()[1]!.setValue(false);
    expect(body.effect.moments).toEqual(["posting"]);
    expect(boxes()[2]!.element.disabled).toBe(true);
    await boxes()[0]!.setValue(true);
    await boxes()[1]!.setValue(true);
    expect(body.effect.moments).toBeUndefined();
  });

  it("can be limited to changes of some fields", async () => {
    const { body, w } = check();
    await choose(w, "Only when these fields changed", ["country"]);
    expect(body.effect.whenChanged).toEqual(["country"]);
    await choose(w, "Only when these fields changed", []);
    expect(body.effect.whenChanged).toBeUndefined();
  });
});
