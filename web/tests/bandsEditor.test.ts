import { flushPromises, mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import type { Band } from "@/api/client";
import BandsEditor from "@/features/rules/BandsEditor.vue";
import { useCatalog } from "@/queries/catalog";
import { fillCatalog } from "./catalog";
import { serve } from "./server";

const band = (label: string, until: string, more: Partial<Band> = {}): Band => ({
  label,
  until,
  including: false,
  tone: "calm",
  shape: "round",
  ...more,
});

function editor(bands: Band[], type?: "percent") {
  fillCatalog();
  serve({ "POST /constants": (b: { text: string }) => ({ formula: b.text.replace(",", "") }) });
  const field = { ...useCatalog().field("limit")!, ...(type ? { type } : {}) };
  const w = mount(BandsEditor, {
    props: {
      kind: "vendor",
      field,
      modelValue: bands,
      "onUpdate:modelValue": (next: Band[]) => void w.setProps({ modelValue: next }),
    },
  });
  const now = () => w.props("modelValue") as Band[];
  const input = (label: string) => w.find<HTMLInputElement>(`[aria-label="${label}"]`);
  return { w, now, input };
}

describe("the bands of a number", () => {
  it("have one boundary between two neighbours, which belongs to one side", async () => {
    const { w, now } = editor([band("low", "100"), band("high", "")]);
    expect(w.text()).toContain("under");
    expect(w.text()).toContain("from it on");
    await w.find(".side").trigger("click");
    expect(now()[0]!.including).toBe(true);
    expect(w.text()).toContain("up to and with");
    expect(w.text()).toContain("over it");
  });

  it("are split without a gap: the new one takes the end over", async () => {
    const { w, now, input } = editor([band("low", "100", { including: true }), band("high", "")]);
    await w.find(".boundary .plain:last-child").trigger("click");
    expect(now().map((b) => [b.label, b.until, b.including])).toEqual([
      ["low", "", false],
      ["", "100", true],
      ["high", "", false],
    ]);
    expect(now()[1]!.tone).not.toBe("calm");
    await input("End of band 1").setValue("1,050");
    await input("End of band 1").trigger("blur");
    await flushPromises();
    expect(now()[0]!.until).toBe("1050");
  });

  it("go on without an end when the last one is removed, and are two at least", async () => {
    const { now, input, w } = editor([band("a", "1"), band("b", "2"), band("c", "")]);
    await input("Remove band 3").trigger("click");
    expect(now().map((b) => b.until)).toEqual(["1", ""]);
    expect(
      w.findAll("[aria-label^='Remove band']").every((b) => b.attributes("disabled") !== undefined),
    ).toBe(true);
  });

  it("end where it was written, also where one before was removed meanwhile", async () => {
    const { now, input } = editor([band("a", "1"), band("b", "2"), band("c", "3"), band("d", "")]);
    await input("End of band 2").setValue("2,500");
    await input("End of band 2").trigger("blur");
    await input("Remove band 1").trigger("click");
    await flushPromises();
    expect(now().map((b) => [b.label, b.until])).toEqual([
      ["b", "2500"],
      ["c", "3"],
      ["d", ""],
    ]);
  });

  it("end where it was written, also where the band was split meanwhile, and nowhere where it was removed", async () => {
    const { w, now, input } = editor([band("a", "1"), band("b", "2"), band("c", "")]);
    await input("End of band 1").setValue("1,500");
    await input("End of band 1").trigger("blur");
    await w.find(".boundary .plain:last-child").trigger("click");
    await flushPromises();
    expect(now().map((b) => [b.label, b.until])).toEqual([
      ["a", "1500"],
      ["", "1"],
      ["b", "2"],
      ["c", ""],
    ]);
    await input("End of band 2").setValue("1,600");
    await input("End of band 2").trigger("blur");
    await input("Remove band 2").trigger("click");
    await flushPromises();
    expect(now().map((b) => b.until)).toEqual(["1500", "2", ""]);
  });

  it("of a percent end at a percent, exactly", () => {
    const { input } = editor([band("low", "0.075"), band("mid", "1.1"), band("high", "")], "percent");
    expect(input("End of band 1").element.value).toBe("7.5 %");
    expect(input("End of band 2").element.value).toBe("110 %");
  });
});
