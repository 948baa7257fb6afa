import { flushPromises, mount } from "@vue/test-utils";
import { createMemoryHistory, createRouter, RouterView } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import { h } from "vue";
import LoadsView from "@/features/loads/LoadsView.vue";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { json, serve } from "./server";

beforeEach(fillCatalog);

/** The loads, and rows that are pasted there; what they become comes when it is released. */
async function pasted() {
  let arrive: (answer: unknown) => void = () => undefined;
  const asked = serve({
    "GET /loads": () => [],
    "POST /loads": () => new Promise((resolve) => (arrive = resolve)),
  });
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: "/loads", component: LoadsView },
      { path: "/:all(.*)*", component: { render: () => h("p") } },
    ],
  });
  await router.push("/loads");
  const w = mount(() => h(RouterView), { global: { plugins: [router] }, attachTo: document.body });
  await flushPromises();
  const paste = new Event("paste", { bubbles: true });
  Object.assign(paste, { clipboardData: { files: [], getData: () => "name,country\nYuzu,JP" } });
  w.find('[aria-label="Bring a file"]').element.dispatchEvent(paste);
  await eventually(() => expect(asked.some((a) => a.method === "POST")).toBe(true));
  return { w, router, arrive: (answer: unknown) => arrive(answer) };
}
const load = { id: 7, kind: "vendor", name: "Pasted rows.csv" };

describe("a file that is brought", () => {
  it("is shown once it is there", async () => {
    const { w, router, arrive } = await pasted();
    arrive(load);
    await eventually(() => expect(router.currentRoute.value.path).toBe("/loads/7"));
    w.unmount();
  });

  it("does not call back whoever went on while it was on its way", async () => {
    const { w, router, arrive } = await pasted();
    await router.push("/rules");
    arrive(load);
    await flushPromises();
    expect(router.currentRoute.value.path).toBe("/rules");
    w.unmount();
  });

  it("says what is wrong with it", async () => {
    const { w, router, arrive } = await pasted();
    arrive(json({ code: "odd-file", detail: "the file has no rows", status: 422, title: "", type: "" }, 422));
    await eventually(() => expect(w.text()).toContain("the file has no rows"));
    expect(router.currentRoute.value.path).toBe("/loads");
    w.unmount();
  });
});
