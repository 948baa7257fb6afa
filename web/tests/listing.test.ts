import { flushPromises } from "@vue/test-utils";
import { mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import { defineComponent, h } from "vue";
import { createMemoryHistory, createRouter } from "vue-router";
import { useListing, writeFilters, type Listing } from "@/features/records/listing";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { json, serve, type Asked } from "./server";

type Body = {
  offset: number;
  limit: number;
  selection: { search?: string; sort?: string; filters: unknown[] };
};

/** A list over 250 records at an address; a page tells only that there are more than told, if that is given. */
async function list(
  address: string,
  told?: number,
  counts: () => unknown = () => ({ total: 250, more: false }),
  all = 300,
): Promise<{ list: Listing; asked: Asked[]; router: ReturnType<typeof createRouter> }> {
  const asked = serve({
    "POST /records/list": (b: Body) => ({
      total: told ?? 250,
      more: told !== undefined,
      all,
      rows: Array.from({ length: Math.min(b.limit, 250 - b.offset) }, (_, i) => ({
        number: `V${b.offset + i}`,
      })),
    }),
    "POST /records/count": () => counts(),
  });
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { render: () => null } }],
  });
  await router.push(address);
  let made: Listing | undefined;
  const view = defineComponent({
    setup() {
      made = useListing(
        () => "vendor",
        () => ["country"],
      );
      return () => h("div");
    },
  });
  mount(view, { global: { plugins: [router] } });
  await flushPromises();
  return { list: made!, asked, router };
}

beforeEach(fillCatalog);

describe("a list", () => {
  it("is what its address says", async () => {
    const filters = writeFilters([{ field: "limit", relation: "from", value: "1~000|2" }]);
    const { list: l, asked } = await list(
      `/records/vendor?search=quay&sort=limit&order=down&company=10,30&columns=limit,blocked&filters=${encodeURIComponent(filters)}`,
    );
    expect(asked[0]!.body).toMatchObject({
      kind: "vendor",
      columns: ["limit", "blocked"],
      selection: {
        search: "quay",
        sort: "limit",
        descending: true,
        companies: ["10", "30"],
        filters: [{ field: "limit", relation: "from", value: "1~000|2" }],
      },
    });
    expect(l.total).toBe(250);
  });

  it("fetches a page when a row of it comes into sight, once", async () => {
    const { list: l, asked } = await list("/records/vendor");
    expect(l.columns).toEqual(["country"]);
    l.show(90, 130);
    l.show(95, 140);
    await flushPromises();
    expect(l.rows.get(130)?.number).toBe("V130");
    l.show(400, 500); // there is nothing that far down
    await flushPromises();
    expect(asked.map((a) => (a.body as Body).offset)).toEqual([0, 100]);
  });

  it("asks how many there are where a page does not tell, and shows all of them", async () => {
    const { list: l, asked } = await list("/records/vendor?search=rope", 90);
    await flushPromises();
    expect(asked.map((a) => a.path)).toEqual(["/records/list", "/records/count"]);
    expect((asked[1]!.body as Body).selection.search).toBe("rope");
    expect([l.total, l.more]).toEqual([250, false]);
    l.show(120, 160);
    await flushPromises();
    expect(l.rows.get(160)?.number).toBe("V160");
    const { asked: plainly } = await list("/records/vendor?search=quay");
    expect(plainly.map((a) => a.path)).toEqual(["/records/list"]);
  });

  it("has all records where nothing narrows it, and shows the first ten thousand", async () => {
    const { list: l, asked } = await list("/records/vendor?sort=city", 801, undefined, 200_046);
    await flushPromises();
    expect(asked.map((a) => a.path)).toEqual(["/records/list"]);
    expect([l.found, l.total, l.more, l.whole]).toEqual([200_046, 10_000, true, true]);
    const { list: few } = await list("/records/vendor", 250, undefined, 250);
    expect([few.found, few.total, few.more]).toEqual([250, 250, false]);
    const { list: found } = await list("/records/vendor?company=10");
    expect([found.found, found.total, found.more, found.whole]).toEqual([250, 250, false, false]);
  });

  it("says why it is not counted, keeps what it has, and counts when it is asked again", async () => {
    let answer: unknown = json(
      { code: "unable", detail: "The disk is full.", status: 503, title: "", type: "" },
      503,
    );
    const { list: l } = await list("/records/vendor?search=tern", 90, () => answer);
    await eventually(() => expect(l.problem).toBe("The disk is full."));
    expect([l.total, l.more]).toEqual([90, true]);
    answer = { total: 250, more: false };
    await l.retry();
    await eventually(() => expect([l.total, l.more, l.problem]).toEqual([250, false, ""]));
  });

  it("begins anew when its address changes", async () => {
    const { list: l, asked, router } = await list("/records/vendor");
    l.change({ search: "rope", sort: "" });
    await flushPromises();
    expect(router.currentRoute.value.fullPath).toBe("/records/vendor?search=rope");
    expect((asked.at(-1)!.body as Body).selection.search).toBe("rope");
    expect(l.rows.size).toBe(100);
  });
});
