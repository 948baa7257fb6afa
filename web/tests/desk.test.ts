import { describe, expect, it } from "vitest";
import type { FieldOutcome, KindEntry, Layout } from "@/api/client";
import { nameOf, unfit } from "@/features/desk/keys";
import { goesTo, otherSide, sectionsOf } from "@/features/desk/order";

const field = (key: string, section: string) => ({ key, label: key.toUpperCase(), section, type: "text" });
const entry = {
  kind: {
    key: "bill",
    label: "Bill",
    plural: "Bills",
    typeLabel: "Type",
    prefix: "B",
    digits: 5,
    title: [],
    journal: { account: "lines.account", debit: "lines.debit", credit: "lines.credit" },
    sections: [
      { key: "general", label: "General" },
      { key: "lines", label: "Lines" },
    ],
    fields: [
      field("vendor", "general"),
      field("currency", "general"),
      field("secret", "general"),
      field("lines.account", "lines"),
      field("lines.debit", "lines"),
      field("lines.credit", "lines"),
      field("lines.tax", "lines"),
    ],
  },
  types: [],
} as unknown as KindEntry;
const place = (key: string) => ({ key, width: 3 });
const layout: Layout = {
  sections: [
    { key: "general", fields: ["vendor", "currency", "secret"].map(place) },
    { key: "lines", fields: ["lines.account", "lines.debit", "lines.credit", "lines.tax"].map(place) },
  ],
};
const met = (access: string, cursor = "") => ({ access, cursor }) as unknown as FieldOutcome;
const outcomes: Record<string, FieldOutcome> = {
  currency: met("open", "passed over"),
  secret: met("hidden"),
  "lines.1.tax": met("open", "passed over"),
  "lines.2.tax": met("open", "passed over"),
};
const asked = {
  outcomeOf: (at: string) => outcomes[at],
  lines: [1, 2],
  assisted: true,
  opened: new Set<string>(),
  standing: "",
};
const keys = (of: ReturnType<typeof sectionsOf>, part: "keyed" | "given") =>
  of.map((s) => s[part].map((p) => p.field.key).join());

describe("where fields stand at the desk", () => {
  it("gives room to what is keyed, and none to what rules give", () => {
    const all = sectionsOf(entry, layout, asked);
    expect(keys(all, "keyed")).toEqual(["vendor", "lines.account,lines.debit,lines.credit"]);
    expect(keys(all, "given")).toEqual(["currency", "lines.tax"]);
  });
  it("gives room to all where the cursor goes everywhere, and to a column that one line needs", () => {
    const all = sectionsOf(entry, layout, { ...asked, assisted: false });
    expect(keys(all, "given")).toEqual(["", ""]);
    const one = sectionsOf(entry, layout, { ...asked, lines: [1, 2, 3] });
    expect(keys(one, "keyed")[1]).toBe("lines.account,lines.debit,lines.credit,lines.tax");
  });
  it("keeps a field in sight that was opened, or that the cursor is in", () => {
    expect(keys(sectionsOf(entry, layout, { ...asked, opened: new Set(["currency"]) }), "keyed")[0]).toBe(
      "vendor,currency",
    );
    expect(keys(sectionsOf(entry, layout, { ...asked, standing: "lines.2.tax" }), "keyed")[1]).toContain(
      "lines.tax",
    );
  });
  it("does not go to what nobody may key", () => {
    expect(goesTo(met("read-only"), false)).toBe(false);
    expect(goesTo(met("open", "passed over"), true)).toBe(false);
    expect(goesTo(undefined, true)).toBe(true);
    const computed = {
      ...met("open"),
      acts: [{ family: "compute", did: "not met" }],
    } as unknown as FieldOutcome;
    expect(goesTo(computed, true)).toBe(false);
    expect(goesTo(computed, false)).toBe(true);
  });
  it("has no business on the other side of a line that has one", () => {
    const filled = (key: string) => key === "lines.debit";
    expect(otherSide(entry, "lines.credit", filled)).toBe(true);
    expect(otherSide(entry, "lines.debit", filled)).toBe(false);
    expect(otherSide(entry, "lines.account", filled)).toBe(false);
    expect(otherSide(entry, "lines.credit", () => false)).toBe(false);
  });
});

describe("the keys of the desk", () => {
  const pressed = (key: string, held: Partial<KeyboardEvent> = {}) =>
    nameOf({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...held });
  it("are named by what is held", () => {
    expect(pressed("F2")).toBe("F2");
    expect(pressed("d", { ctrlKey: true })).toBe("Ctrl+D");
    expect(pressed("ArrowUp", { altKey: true, shiftKey: true })).toBe("Alt+Shift+ArrowUp");
  });
  it("are none that values are keyed with", () => {
    expect(unfit("F2")).toBe("");
    expect(unfit("Ctrl+D")).toBe("");
    expect(unfit("X")).not.toBe("");
    expect(unfit("Enter")).not.toBe("");
  });
});
