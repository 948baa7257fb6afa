import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import type { Layout } from "@/api/client";
import LayoutEditor from "@/features/tables/LayoutEditor.vue";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { serve } from "./server";

beforeEach(fillCatalog);

const arranged = (...keys: string[]): Layout => ({
  sections: [{ key: "general", fields: keys.map((key) => ({ key, width: 4 })) }],
});
const shown = (w: VueWrapper) => w.findAll("[data-field]").map((f) => f.attributes("data-field"));
const saveButton = (w: VueWrapper) => w.findAll("button").find((b) => b.text().startsWith("Save for"))!;
const move = (w: VueWrapper, field: string, key: string) =>
  w.find(`[data-field=${field}]`).trigger("keydown", { key, altKey: true });

/** An answer that arrives when it is let. */
function onItsWay() {
  let arrives!: () => void;
  const way = new Promise<void>((done) => (arrives = done));
  return { way, arrives };
}

async function open(company = "") {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
  });
  await router.push({ path: "/", query: { kind: "vendor", ...(company && { company }) } });
  const w = mount(LayoutEditor, { global: { plugins: [router] }, attachTo: document.body });
  await flushPromises();
  return { w, router };
}

describe("a layout", () => {
  it("keeps what is arranged while it is being saved, and saves that next", async () => {
    const { way, arrives } = onItsWay();
    const sent: Layout[] = [];
    serve({
      "GET /layouts": () => ({ layout: arranged("country", "limit", "blocked"), made: false, others: [] }),
      "PUT /layouts": (b: Layout) => {
        sent.push(b);
        return way.then(() => ({ layout: b, made: true, company: "", type: "", others: [] }));
      },
    });
    const { w } = await open();
    await move(w, "limit", "ArrowLeft");
    await saveButton(w).trigger("click");
    await move(w, "blocked", "ArrowLeft");
    arrives();
    await eventually(() => expect(w.text()).toContain("Saved for all companies."));
    expect(shown(w)).toEqual(["limit", "blocked", "country"]);
    expect(w.text()).toContain("Made for this company and type.");
    await saveButton(w).trigger("click");
    await flushPromises();
    expect(sent).toEqual([arranged("limit", "country", "blocked"), arranged("limit", "blocked", "country")]);
    expect(saveButton(w).attributes("disabled"), "all that was arranged is saved").toBeDefined();
  });

  it("of the company that was chosen last is shown, whichever answer comes last", async () => {
    const { way, arrives } = onItsWay();
    serve({
      "GET /layouts": (_, query) => {
        const of = query.get("company") ?? "";
        const answer = {
          layout: arranged(of === "20" ? "blocked" : "limit"),
          made: true,
          company: of,
          type: "",
          others: [],
        };
        return of === "20" ? answer : way.then(() => answer);
      },
    });
    const { w, router } = await open("10");
    await router.replace({ path: "/", query: { kind: "vendor", company: "20" } });
    await eventually(() => expect(shown(w)).toEqual(["blocked"]));
    arrives();
    await flushPromises();
    expect(shown(w)).toEqual(["blocked"]);
  });

  it("that is saved for one company does not take the place of another's that was opened meanwhile", async () => {
    const { way, arrives } = onItsWay();
    serve({
      "GET /layouts": (_, query) => {
        const of = query.get("company") ?? "";
        const layout = of === "20" ? arranged("limit", "country") : arranged("country", "limit");
        return { layout, made: true, company: of, type: "", others: [] };
      },
      "PUT /layouts": (b: Layout) =>
        way.then(() => ({ layout: b, made: true, company: "10", type: "", others: [] })),
    });
    const { w, router } = await open("10");
    await move(w, "limit", "ArrowLeft");
    await saveButton(w).trigger("click");
    await router.replace({ path: "/", query: { kind: "vendor", company: "20" } });
    await eventually(() => expect(w.text()).toContain("Made for this company and type."));
    arrives();
    await eventually(() => expect(w.find("[role=status]").text()).toBe("Saved for 10."));
    expect(w.text(), "it is that of the other company, not one taken from the first").toContain(
      "Made for this company and type.",
    );
  });
});
