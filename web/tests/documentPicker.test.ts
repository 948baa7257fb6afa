import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import DocumentPicker from "@/features/plan/DocumentPicker.vue";
import { usePlan } from "@/queries/plan";
import { fillCatalog } from "./catalog";
import { choose, select } from "./select";
import { serve } from "./server";

beforeEach(fillCatalog);

const record = (number: string, country: string) => ({
  number,
  kind: "vendor",
  company: "30",
  type: "TRAD",
  state: "kept",
  version: 1,
  title: number,
  content: { values: { country }, lines: [] },
  followers: [],
});

/** The picker beside a plan. Records come when they are released. */
async function picker() {
  const release: Record<string, () => void> = {};
  const slowly = (number: string, country: string) => () =>
    new Promise((resolve) => (release[number] = () => resolve(record(number, country))));
  serve({
    "GET /plan": () => ({ fields: [] }),
    "POST /try": () => ({ verdict: "accepted", messages: [], lines: [], fields: [] }),
    "GET /proofs": () => [{ id: 4, name: "A hauler", given: { ...plan.document, entered: {} } }],
    "GET /postings": () => ({
      postings: [
        { number: "PV30-00001", title: "Yuzu Packing", kind: "vendor" },
        { number: "PS30-00001", title: "Yuzu Packing", kind: "sales_order" },
      ],
    }),
    "GET /links/vendor": () => [{ number: "V1", title: "Yuzu Packing" }],
    "GET /records/vendor/V1": slowly("V1", "JP"),
    "GET /records/vendor/V2": slowly("V2", "DK"),
  });
  const plan = usePlan();
  Object.assign(plan.scope, { kind: "vendor", company: "30", type: "TRAD", day: "2026-11-24" });
  const w = mount(DocumentPicker);
  const arrives = async (number: string) => {
    release[number]!();
    await flushPromises();
  };
  return { w, plan, arrives };
}
const groups = (w: VueWrapper) =>
  (select(w, "Load a document").props("options") as { label: string; options: { label: string }[] }[]).map(
    (g) => `${g.label}: ${g.options.map((o) => o.label).join()}`,
  );

describe("a document from elsewhere", () => {
  it("is a saved record, what was posted, or what a proof was given", async () => {
    const { w, plan, arrives } = await picker();
    expect(groups(w), "nothing is asked for before the list is opened").toEqual([]);
    (select(w, "Load a document").props("search") as (words: string) => void)("");
    await flushPromises();
    expect(groups(w)).toEqual([
      "Change a saved vendor: V1 Yuzu Packing",
      "As posted: PV30-00001 Yuzu Packing",
      "From a proof: 4 A hauler",
    ]);
    await choose(w, "Load a document", "record:V1");
    await arrives("V1");
    expect(plan.source).toBe("Change of V1");
    expect(plan.document).toMatchObject({ record: "V1", entered: { country: { value: "JP" } } });
    await choose(w, "Load a document", "proof:4");
    expect(plan.source).toBe("Proof 4");
  });

  it("does not come in place of another that was chosen since", async () => {
    const { w, plan, arrives } = await picker();
    await choose(w, "Load a document", "record:V1");
    await choose(w, "Load a document", "record:V2");
    await arrives("V2");
    await arrives("V1");
    expect(plan.source).toBe("Change of V2");
    expect(plan.document).toMatchObject({ entered: { country: { value: "DK" } } });
  });

  it("does not come in place of what was typed since", async () => {
    const { w, plan, arrives } = await picker();
    await choose(w, "Load a document", "record:V1");
    await plan.enter("country", "DE");
    await arrives("V1");
    expect(plan.source).not.toContain("V1");
    expect(plan.document).toMatchObject({ entered: { country: { typed: "DE" } } });
  });
});
