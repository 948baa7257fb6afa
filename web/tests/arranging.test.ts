import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it } from "vitest";
import type { Component } from "vue";
import { keyOf } from "@/api/address";
import FieldEditor from "@/features/tables/FieldEditor.vue";
import GoAnywhere from "@/app/GoAnywhere.vue";
import MapsTable from "@/features/tables/MapsTable.vue";
import TypesTable from "@/features/tables/TypesTable.vue";
import { useCatalog } from "@/queries/catalog";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { choose } from "./select";
import { json, serve } from "./server";

beforeEach(fillCatalog);

async function show(component: Component, props: Record<string, unknown> = {}) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
  });
  await router.push("/");
  const w = mount(component, { props, global: { plugins: [router] }, attachTo: document.body });
  await flushPromises();
  return { w, router };
}
const button = (w: VueWrapper, text: string) => w.findAll("button").find((b) => b.text() === text)!;
const labelled = (w: VueWrapper, text: string) =>
  w
    .findAll("label")
    .find((l) => l.text().startsWith(text))!
    .find<HTMLInputElement>("input, select, textarea");

describe("the key of a name", () => {
  it("is what formulas can write", () => {
    for (const [name, key] of [
      ["Payment terms", "payment_terms"],
      ["  2nd Größe (cm) ", "nd_gro_e_cm"],
      ["Città", "citta"],
      ["—", ""],
    ])
      expect(keyOf(name!), name).toBe(key);
  });
});

describe("a field", () => {
  const editor = async (field?: object) => {
    const entry = useCatalog().kinds[0]!;
    return (await show(FieldEditor, { entry, field })).w;
  };

  it("is added with a key that follows its label until somebody writes one", async () => {
    let kept: unknown;
    serve({ "POST /kinds/vendor/fields": (b) => ((kept = b), b) });
    const w = await editor();
    await labelled(w, "Label").setValue("Harbour dues");
    expect(labelled(w, "Key").element.value).toBe("harbour_dues");
    await labelled(w, "Key").setValue("dues");
    await labelled(w, "Key").trigger("input");
    await labelled(w, "Label").setValue("Harbour dues, yearly");
    await choose(w, "Type", "amount");
    await labelled(w, "Digits").setValue("9");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept).toMatchObject({ key: "dues", label: "Harbour dues, yearly", type: "amount", digits: 9 });
    expect(w.emitted("saved")).toHaveLength(1);
  });

  it("is changed only when every saved value fits, and says which do not", async () => {
    const asked = serve({
      "POST /kinds/vendor/fields/limit/check": () => ({
        values: 40,
        misfits: 2,
        examples: [{ number: "V7", value: "123456", message: "Credit limit takes 3 digits" }],
      }),
    });
    const w = await editor({ ...useCatalog().field("limit")!, added: true, digits: 5 });
    await labelled(w, "Digits").setValue("3");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(w.find("[role=alert]").text()).toContain("2 of 40 saved values would not fit");
    expect(w.find(".misfits").text()).toContain("V7: 123456 – Credit limit takes 3 digits");
    expect(asked.some((a) => a.method === "PUT")).toBe(false);
    expect(w.emitted("saved")).toBeUndefined();
  });
});

describe("follow-on maps", () => {
  const map = {
    id: 3,
    name: "Order from vendor",
    from: "vendor",
    to: "vendor",
    type: "",
    pairs: [{ from: "country", to: "country", line: 0 }],
  };

  it("say while they are written what does not fit, and are not saved so", async () => {
    serve({
      "GET /follow-ons": () => [map],
      "POST /follow-ons/check": (b: { pairs: { from: string }[] }) =>
        b.pairs[0]!.from === "limit" ? [{ pair: 0, message: "a number does not fit Country" }] : [],
    });
    const { w } = await show(MapsTable);
    await button(w, "Order from vendor").trigger("click");
    await choose(w, "Source of pair 1", "limit");
    await eventually(() => expect(w.text()).toContain("a number does not fit Country"));
    expect(button(w, "Save").element.disabled).toBe(true);
    await choose(w, "Source of pair 1", "country");
    await eventually(() => expect(w.text()).not.toContain("a number does not fit Country"));
    expect(button(w, "Save").element.disabled).toBe(false);
  });

  it("carry a constant where no field is the source", async () => {
    let kept: { pairs: { from?: string; constant?: string }[] } | undefined;
    serve({
      "GET /follow-ons": () => [map],
      "POST /follow-ons/check": () => [],
      "PUT /follow-ons/3": (b) => ((kept = b), b),
    });
    const { w } = await show(MapsTable);
    await button(w, "Order from vendor").trigger("click");
    await choose(w, "Source of pair 1", "constant");
    await w.find('[aria-label="Constant of pair 1"]').setValue("JP");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept!.pairs[0]).toMatchObject({ from: "", constant: "JP" });
    expect(w.find("form").exists()).toBe(false);
  });
});

describe("types", () => {
  it("are used in the companies that are marked, and stay when something names them", async () => {
    let kept: unknown;
    serve({
      "PUT /types/vendor/TRAD": (b) => ((kept = b), b),
      "DELETE /types/vendor/TRAD": () =>
        json(
          {
            code: "in-use",
            detail: "40 vendors are of this group",
            status: 409,
            title: "",
            type: "",
            count: 40,
            uses: [],
          },
          409,
        ),
      "GET /catalog": () => useCatalog().catalog,
    });
    const { w } = await show(TypesTable);
    await button(w, "TRAD").trigger("click");
    await button(w, "Delete").trigger("click");
    await flushPromises();
    expect(w.find("[role=alert]").text()).toContain("40 vendors are of this group");
    await w.find("form input[type=checkbox]").trigger("change");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept).toMatchObject({ key: "TRAD", companies: ["30"] });
  });
});

describe("going anywhere", () => {
  it("finds screens, fields, rules and records by words, and goes there with Enter", async () => {
    serve({
      "GET /rules": () => [{ id: 7, name: "Vendor · limit is not negative" }],
      "GET /links/vendor": () => [{ number: "V10001", title: "Limit Ropes" }],
    });
    const { w, router } = await show(GoAnywhere);
    const input = w.find("input");
    await input.setValue("limit");
    await eventually(() => expect(w.text()).toContain("V10001 Limit Ropes"));
    const found = w.findAll("[role=option]").map((o) => o.text());
    expect(found[0]).toContain("Credit limit");
    expect(found.join()).toContain("rule 7");
    await input.trigger("keydown", { key: "ArrowDown" });
    expect(w.findAll("[role=option]")[1]!.attributes("aria-selected")).toBe("true");
    await input.trigger("keydown", { key: "Enter" });
    await flushPromises();
    expect(router.currentRoute.value.fullPath).toBe("/plan?rule=7");
    expect(w.emitted("close")).toHaveLength(1);
  });

  it("shows the record whose number was typed first, some others, and where the rest is", async () => {
    const ropes = Array.from({ length: 20 }, (_, i) => ({
      number: i === 15 ? "ROPE" : `V${i}`,
      title: `Coil ${i}`,
    }));
    serve({ "GET /rules": () => [], "GET /links/vendor": () => ropes });
    const { w, router } = await show(GoAnywhere);
    await w.find("input").setValue("rope");
    await eventually(() => expect(w.text()).toContain("ROPE Coil 15"));
    const found = w.findAll("[role=option]").map((o) => o.find("span").text());
    expect(found.slice(0, 2)).toEqual(["ROPE Coil 15", "V0 Coil 0"]);
    expect(found.slice(9)).toEqual(["V8 Coil 8", "All vendors with “rope”"]);
    await w.findAll("[role=option]").at(-1)!.trigger("click");
    await eventually(() => expect(router.currentRoute.value.fullPath).toBe("/records/vendor?search=rope"));
  });

  it("waits with Enter for the records that fit, and goes to none of an earlier text", async () => {
    const searches: string[] = [];
    serve({
      "GET /rules": () => [],
      "GET /links/vendor": (_, query) => {
        searches.push(query.get("search")!);
        return query.get("search") === "rop"
          ? [{ number: "V10001", title: "Limit Ropes" }]
          : [{ number: "V10002", title: "Ropery Nord" }];
      },
    });
    const { w, router } = await show(GoAnywhere);
    const input = w.find("input");
    await input.setValue("rop");
    await eventually(() => expect(w.text()).toContain("V10001 Limit Ropes"));
    await input.setValue("ropery");
    await input.trigger("keydown", { key: "Enter" });
    expect(w.emitted("close")).toBeUndefined();
    await eventually(() => expect(router.currentRoute.value.fullPath).toBe("/records/vendor/V10002"));
    expect(searches).toEqual(["rop", "ropery"]);
  });
});
