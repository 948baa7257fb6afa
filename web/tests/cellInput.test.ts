import { mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import type { Field, FieldOutcome } from "@/api/client";
import CellInput from "@/features/records/CellInput.vue";
import { fillCatalog } from "./catalog";

const amount: Field = { key: "limit", label: "Credit limit", section: "general", type: "amount" };
const country: Field = {
  key: "country",
  label: "Country",
  section: "general",
  type: "choice",
  choices: [{ code: "JP", label: "Japan" }],
};

function outcome(final: string, more: Partial<FieldOutcome> = {}): FieldOutcome {
  const shown = { value: final, text: final };
  return {
    key: "limit",
    entered: shown,
    sourced: shown,
    defaulted: shown,
    computed: shown,
    substituted: shown,
    final: shown,
    made: "default",
    acts: [],
    ...more,
  };
}

function cell(field: Field, text: string, of?: FieldOutcome, more = {}) {
  return mount(CellInput, {
    props: { field, label: field.label, text, outcome: of, company: "30", ...more },
    attachTo: document.body,
  });
}
const value = (w: ReturnType<typeof cell>) => w.find("input").element.value;

beforeEach(fillCatalog);

describe("a field of a form", () => {
  it("shows what the rules made, and what was entered while it is typed in", async () => {
    const w = cell(amount, "5", outcome("5.00", { made: "substitute" }));
    expect(value(w)).toBe("5.00");
    expect(w.classes()).toContain("made-substitute");
    await w.find("input").trigger("focus");
    expect(value(w)).toBe("5");
  });

  it("offers what a rule fills in while it is blank, and takes nothing that nobody typed", async () => {
    const w = cell(amount, "", outcome("80.00"));
    await w.find("input").trigger("focus");
    expect(value(w)).toBe("");
    expect(w.find("input").attributes("placeholder")).toBe("80.00");
    await w.find("input").trigger("blur");
    expect(w.emitted("enter")).toBeUndefined();
    expect(value(w)).toBe("80.00");
  });

  it("leaves out the unit that stands beside a quantity, and says it where none does", async () => {
    const quantity: Field = {
      key: "lines.quantity",
      label: "Quantity",
      section: "lines",
      type: "quantity",
      unit: "unit",
    };
    const beside = cell(quantity, "10 box", outcome("10 box"), { unit: "box" });
    expect(value(beside)).toBe("10");
    await beside.find("input").trigger("focus");
    expect(value(beside)).toBe("10");
    await beside.find("input").trigger("blur");
    expect(beside.emitted("enter")).toBeUndefined();
    await beside.find("input").trigger("focus");
    await beside.find("input").setValue("10 bag");
    await beside.find("input").trigger("blur");
    expect(beside.emitted("enter")).toEqual([["10 bag"]]);
    expect(value(cell(quantity, "10 box", outcome("10 box")))).toBe("10 box");
    expect(value(cell(quantity, "10 box", outcome("10 box"), { unit: "bag" }))).toBe("10 box");
  });

  it("takes what was typed on leaving, and reverts it on Escape", async () => {
    const w = cell(amount, "5", outcome("5.00"));
    await w.find("input").trigger("focus");
    await w.find("input").setValue("7");
    await w.find("input").trigger("keydown", { key: "Escape" });
    await w.find("input").trigger("blur");
    expect(w.emitted("enter")).toBeUndefined();
    await w.find("input").trigger("focus");
    await w.find("input").setValue("9");
    await w.find("input").trigger("blur");
    expect(w.emitted("enter")).toEqual([["9"]]);
  });

  it("keeps a text that does not fit, and says so", () => {
    const w = cell(amount, "much", outcome("", { misfit: "is no number" }));
    expect(value(w)).toBe("much");
    expect(w.find("input").attributes("aria-invalid")).toBe("true");
  });

  it("shows a code with what it means, in a line the code alone", () => {
    expect(value(cell(country, "JP", outcome("JP")))).toBe("JP Japan");
    expect(value(cell(country, "JP", outcome("JP"), { inLine: true }))).toBe("JP");
  });

  it("cannot be typed in where a rule says so, or where the record is posted", () => {
    expect(
      cell(amount, "", outcome("5.00", { access: "read-only" }))
        .find("input")
        .exists(),
    ).toBe(false);
    const posted = cell(country, "JP", outcome("JP"), { readonly: true });
    expect(posted.find("input").exists()).toBe(false);
    expect(posted.text()).toBe("JP Japan");
  });
});
