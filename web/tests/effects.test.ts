import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import { reactive } from "vue";
import type { Family, RuleBody, Unique } from "@/api/client";
import EntryEffect from "@/features/rules/EntryEffect.vue";
import LookUpEditor from "@/features/rules/LookUpEditor.vue";
import UniqueEditor from "@/features/rules/UniqueEditor.vue";
import ValueEffect from "@/features/rules/ValueEffect.vue";
import { choose as pick, offered, select as picker } from "./select";
import { useCatalog } from "@/queries/catalog";
import { fillCatalog, names } from "./catalog";
import { serve } from "./server";

beforeEach(fillCatalog);

function bodyOf(family: Family, effect: RuleBody["effect"], target = "limit"): RuleBody {
  return reactive({
    kind: "vendor",
    family,
    target,
    scope: { companies: [], types: [], from: "", until: "" },
    when: "",
    effect,
    on: { new: true, change: true },
    priority: 100,
    note: { askedBy: "", askedOn: "", why: "" },
  });
}
const limit = () => useCatalog().field("limit")!;
const marked = (w: VueWrapper, text: string) =>
  w
    .findAll("label")
    .find((l) => l.text().includes(text))!
    .find("input");

describe("how a field is met", () => {
  const editor = (effect: RuleBody["effect"]) => {
    const body = bodyOf("entry", effect);
    return { body, w: mount(EntryEffect, { props: { modelValue: body, field: limit() } }) };
  };

  it("may be said of every field of its section at once", async () => {
    const { body, w } = editor({ access: "hidden" });
    await pick(w, "Field or section", "section:general");
    expect(body.target).toBe("section:general");
    expect(w.text()).toContain("Its saved value stays");
  });

  it("leaves no stop and no keying twice where nobody can type, and requires nothing there", async () => {
    const { body, w } = editor({ need: "required", cursor: "stop", keying: "twice" });
    await pick(w, "Access", "read-only");
    expect(body.effect).toEqual({
      access: "read-only",
      need: undefined,
      cursor: undefined,
      keying: undefined,
    });
    expect(w.text()).not.toContain("cursor");
  });

  it("says each aspect by itself, and leaves the others to other rules", async () => {
    const { body, w } = editor({ need: "required", access: "open" });
    await pick(w, "Required or optional", "");
    await pick(w, "Access", "");
    await pick(w, "Keying", "twice");
    expect(body.effect).toEqual({ need: undefined, access: undefined, keying: "twice" });
    await pick(w, "Cursor", "passed over");
    expect(body.effect.cursor).toBe("passed over");
    expect(w.text()).not.toContain("new values are");
  });
});

describe("the value that a rule gives", () => {
  const series = { series: { key: "codes", label: "Codes" }, counts: [{ next: ["N00001"] }] };
  const editor = (family: Family, effect: RuleBody["effect"]) => {
    serve({
      "GET /tables/series": () => [series],
      "GET /tables/crosswalks": () => [],
      "GET /names": () => names,
    });
    const body = bodyOf(family, effect);
    const props = { modelValue: body, field: limit(), asFormula: false, read: { isConstant: false } };
    return { body, w: mount(ValueEffect, { props, global: { stubs: { ValueEditor: true } } }) };
  };

  it("is a value or the next number of a series, never both", async () => {
    const { body, w } = editor("default", { value: "5", lifetime: "new only" });
    await flushPromises();
    await marked(w, "the next number of a series").setValue(true);
    expect(body.effect).toMatchObject({ series: "codes", value: undefined });
    expect(offered(w, "Number series")).toEqual(["codes"]);
    await marked(w, "a value").setValue(true);
    expect(body.effect).toMatchObject({ series: undefined, value: "" });
  });

  it("of a default has a lifetime that is told in words, and may be fixed", async () => {
    const { body, w } = editor("default", { value: "5" });
    await marked(w, "whenever blank").setValue(true);
    expect(body.effect.lifetime).toBe("whenever blank");
    await marked(w, "new records only").setValue(true);
    expect(body.effect.lifetime).toBe("new only");
    await marked(w, "fixed").setValue(true);
    expect(body.effect.fixed).toBe(true);
  });

  it("of a source is copied or live", async () => {
    const { body, w } = editor("source", { value: "", tie: "copied" });
    expect(w.text()).toContain("Credit limit comes from");
    await marked(w, "live: always").setValue(true);
    expect(body.effect.tie).toBe("live");
  });

  it("may be sorted into bands; a rule without a formula only sorts", async () => {
    const { body, w } = editor("compute", { value: "" });
    await marked(w, "sort the number into bands").setValue(true);
    expect(body.effect.bands!.map((b) => b.label)).toEqual(["low", "high"]);
    expect(w.text()).toContain("the value stays as entered");
    await marked(w, "sort the number into bands").setValue(false);
    expect(body.effect.bands).toBeUndefined();
  });
});

describe("a value that is unique", () => {
  const editor = (given: Partial<Unique>) => {
    const unique: Unique = { with: [], everywhere: false, ignore: [], near: false, ...given };
    const w = mount(UniqueEditor, {
      props: {
        kind: "vendor",
        field: useCatalog().field("country")!,
        modelValue: unique,
        "onUpdate:modelValue": (next: Unique) => void w.setProps({ modelValue: next }),
      },
    });
    return { w, now: () => w.props("modelValue") as Unique };
  };

  it("is so alone or together with other fields, never with itself", async () => {
    const { w, now } = editor({});
    expect(offered(w, "Unique together with")).not.toContain("country");
    await pick(w, "Unique together with", ["limit"]);
    expect(now().with).toEqual(["limit"]);
    expect(w.text()).toContain("together with the same");
  });

  it("ignores what is marked, within the company or over all", async () => {
    const { w, now } = editor({ ignore: ["case"] });
    await marked(w, "punctuation").setValue(true);
    await marked(w, "capitals").setValue(false);
    await marked(w, "in any company").setValue(true);
    await marked(w, "similar values").setValue(true);
    expect(now()).toEqual({ with: [], ignore: ["punctuation"], everywhere: true, near: true });
    await marked(w, "in the same company").setValue(true);
    expect(now().everywhere).toBe(false);
  });
});

describe("a value from a crosswalk", () => {
  const terms = {
    key: "terms",
    label: "Terms",
    note: "",
    rows: 2,
    version: 1,
    keys: [{ key: "country", label: "Country", section: "", type: "text" }],
    results: [
      { key: "rate", label: "Rate", section: "", type: "number" },
      { key: "days", label: "Days", section: "", type: "number" },
    ],
  };
  const editor = async (more: Record<string, unknown> = {}) => {
    serve({ "GET /tables/crosswalks": () => [terms], "GET /tables/series": () => [] });
    const w = mount(LookUpEditor, { props: { names: names.names, label: "Limit", ...more } });
    await flushPromises();
    return w;
  };

  it("proposes the field of the same name, and writes the first column without its name", async () => {
    const w = await editor();
    await pick(w, "Crosswalk", "terms");
    expect(w.emitted("write")).toEqual([['crosswalk("terms", country)']]);
    await picker(w, "Column of the crosswalk").vm.$emit("update:modelValue", "days");
    picker(w, "Column of the crosswalk").vm.$emit("change", "days");
    await flushPromises();
    expect(w.emitted("write")!.at(-1)).toEqual(['crosswalk("terms", country, "days")']);
  });

  it("shows what a formula looks up", async () => {
    const w = await editor({ lookUp: { crosswalk: "terms", keys: ["country"], column: "days" } });
    expect(picker(w, "Crosswalk").props("modelValue")).toBe("terms");
    expect(picker(w, "Column of the crosswalk").props("modelValue")).toBe("days");
    expect(w.text()).toContain("for Country");
  });

  it("writes nothing while a key has no field", async () => {
    const w = await editor({ names: [] });
    await pick(w, "Crosswalk", "terms");
    expect(w.emitted("write")).toBeUndefined();
  });
});
