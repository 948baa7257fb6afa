import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import FieldsTable from "@/features/tables/FieldsTable.vue";
import { useCatalog } from "@/queries/catalog";
import { fillCatalog } from "./catalog";
import { serve } from "./server";

beforeEach(fillCatalog);

/** The fields of vendors, two of them added; answers come when they are released. */
async function fields() {
  const waiting: (() => void)[] = [];
  const slowly = (answer: unknown) => () =>
    new Promise((resolve) => waiting.push(() => resolve(answer ?? new Response(null, { status: 204 }))));
  const kind = useCatalog().kinds[0]!.kind;
  const section = kind.sections[0]!.key;
  for (const [key, label] of [
    ["berth", "Berth"],
    ["quay", "Quay"],
  ] as const)
    kind.fields.push({ key, label, section, type: "text", added: true });
  const asked = serve({
    "GET /catalog": () => useCatalog().catalog,
    "GET /kinds/vendor/fields/removed": () => [
      {
        field: { key: "pier", label: "Pier", section, type: "text", added: true },
        removedAt: "2026-11-20T09:00:00Z",
        removedBy: "Ada Quill",
        values: 2,
      },
    ],
    "GET /kinds/vendor/fields/berth/uses": slowly({ values: 3, uses: [] }),
    "GET /kinds/vendor/fields/quay/uses": slowly({ values: 0, uses: [] }),
    "DELETE /kinds/vendor/fields/berth": slowly(undefined),
    "POST /kinds/vendor/fields/pier/restore": slowly({}),
  });
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
  });
  await router.push("/tables/fields?kind=vendor");
  const w = mount(FieldsTable, { global: { plugins: [router] }, attachTo: document.body });
  await flushPromises();
  const answers = async () => {
    waiting.shift()!();
    await flushPromises();
  };
  return { w, asked, answers };
}
const row = (w: VueWrapper, label: string) => w.findAll("tr").find((r) => r.text().startsWith(label))!;
async function press(w: VueWrapper, label: string, what: string) {
  const found = row(w, label)
    .findAll("button")
    .find((b) => b.text() === what)!;
  await found.trigger("click");
  await flushPromises();
}
const removal = (w: VueWrapper) => w.find('[aria-label="Remove a field"]');

describe("a field of a kind", () => {
  it("is removed only after it was said what holds it", async () => {
    const { w, asked, answers } = await fields();
    await press(w, "Berth", "Remove");
    expect(removal(w).exists()).toBe(false);
    await answers();
    expect(removal(w).text()).toContain("Remove Berth");
    expect(removal(w).text()).toContain("3 records hold a value of it");
    const yes = removal(w)
      .findAll("button")
      .find((b) => b.text() !== "Cancel")!;
    await yes.trigger("click");
    await answers();
    expect(asked.filter((a) => a.method === "DELETE").map((a) => a.path)).toEqual([
      "/kinds/vendor/fields/berth",
    ]);
    expect(removal(w).exists()).toBe(false);
    w.unmount();
  });

  it("is the one that was asked about last, whichever answer comes first", async () => {
    const { w, answers } = await fields();
    await press(w, "Berth", "Remove");
    await press(w, "Quay", "Remove");
    await answers();
    expect(removal(w).exists()).toBe(false);
    await answers();
    expect(removal(w).text()).toContain("Remove Quay");
    w.unmount();
  });

  it("is no longer about to be removed once another is changed, whose editor stays", async () => {
    const { w, answers } = await fields();
    await press(w, "Berth", "Remove");
    await press(w, "Quay", "Change");
    await answers();
    expect(removal(w).exists()).toBe(false);
    expect(w.find("form").exists()).toBe(true);
    await press(w, "Pier", "Restore");
    await answers();
    expect(w.find("form").exists(), "what is typed there is not lost").toBe(true);
    w.unmount();
  });
});
