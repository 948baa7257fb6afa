import { beforeEach, describe, expect, it } from "vitest";
import { useLayoutDraft } from "@/features/tables/layoutDraft";

const place = (key: string) => ({ key, width: 4 });
let draft: ReturnType<typeof useLayoutDraft>;

/** The fields by section: "a b | c | lines.x". */
function order(): string {
  return draft.draft.value.sections.map((s) => s.fields.map((f) => f.key).join(" ")).join(" | ");
}

beforeEach(() => {
  draft = useLayoutDraft();
  draft.load({
    sections: [
      { key: "general", fields: ["a", "b", "c"].map(place) },
      { key: "terms", fields: [place("d")] },
      { key: "lines", fields: [place("lines.x")] },
    ],
  });
});

describe("a layout that is arranged", () => {
  it("moves a field within its section and into another, and never loses one", () => {
    expect(draft.move({ section: 0, field: 0 }, { section: 0, field: 2 })).toEqual({ section: 0, field: 2 });
    expect(order()).toBe("b c a | d | lines.x");
    draft.step({ section: 0, field: 2 }, "left");
    expect(order()).toBe("b a c | d | lines.x");
    expect(draft.step({ section: 0, field: 0 }, "down")).toEqual({ section: 1, field: 0 });
    expect(order()).toBe("a c | b d | lines.x");
    expect(draft.step({ section: 1, field: 0 }, "up")).toEqual({ section: 0, field: 2 });
    expect(order()).toBe("a c b | d | lines.x");
  });

  it("keeps fields of the lines in the lines, and others out of them", () => {
    draft.move({ section: 2, field: 0 }, { section: 0, field: 0 });
    draft.move({ section: 0, field: 0 }, { section: 2, field: 0 });
    draft.step({ section: 1, field: 0 }, "down");
    draft.step({ section: 0, field: 0 }, "up");
    expect(order()).toBe("a b c | d | lines.x");
    expect(draft.dirty.value).toBe(false);
  });

  it("keeps widths on the grid, and undoes step by step", () => {
    draft.resize({ section: 0, field: 0 }, 20);
    expect(draft.fieldAt({ section: 0, field: 0 })?.width).toBe(12);
    draft.resize({ section: 0, field: 0 }, -40);
    expect(draft.fieldAt({ section: 0, field: 0 })?.width).toBe(1);
    draft.undo();
    expect(draft.fieldAt({ section: 0, field: 0 })?.width).toBe(12);
    draft.undo();
    expect(draft.dirty.value).toBe(false);
  });

  it("names and hides sections and moves them", () => {
    draft.changeSection(1, { label: "Conditions", hidden: true });
    draft.moveSection(1, -1);
    draft.moveSection(0, -1);
    expect(draft.draft.value.sections.map((s) => s.key)).toEqual(["terms", "general", "lines"]);
    expect(draft.draft.value.sections[0]).toMatchObject({ label: "Conditions", hidden: true });
  });
});
