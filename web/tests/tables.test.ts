import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createMemoryHistory, createRouter } from "vue-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Component } from "vue";
import CompaniesTable from "@/features/tables/CompaniesTable.vue";
import CrosswalkEditor from "@/features/tables/CrosswalkEditor.vue";
import ListEditor from "@/features/tables/ListEditor.vue";
import SeriesTable from "@/features/tables/SeriesTable.vue";
import StandingTable from "@/features/tables/StandingTable.vue";
import { written } from "@/queries/format";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { choose, select } from "./select";
import { json, serve } from "./server";

beforeEach(fillCatalog);

const router = createRouter({
  history: createMemoryHistory(),
  routes: [{ path: "/:all(.*)*", component: { template: "<div />" } }],
});
function show(component: Component, props: Record<string, unknown> = {}) {
  return mount(component, { props, global: { plugins: [router] }, attachTo: document.body });
}
const button = (w: VueWrapper, text: string) => w.findAll("button").find((b) => b.text() === text)!;
const input = (w: VueWrapper, label: string) => w.find<HTMLInputElement>(`[aria-label="${label}"]`);
async function type(w: VueWrapper, label: string, text: string) {
  await input(w, label).setValue(text);
  await input(w, label).trigger("blur");
  await flushPromises();
}
/** Reads and writes as a German does: 1.200,50. */
const cells = (b: { cells: { text: string; kept?: boolean }[] }) =>
  b.cells.map(({ text, kept }) =>
    kept
      ? { value: text, text: text.replace(".", ",") }
      : /^[\d.,]+$/.test(text)
        ? { value: text.replace(".", "").replace(",", "."), text }
        : { value: text, text },
  );

const freight = {
  standing: {
    field: { key: "freight", label: "Freight", section: "", type: "number" as const, decimals: 2 },
    note: "agreed yearly",
    periods: [
      { company: "30", from: "2026-01-01", until: "2026-12-31", value: "4.5" },
      { company: "30", from: "2025-01-01", until: "2025-12-31", value: "4" },
    ],
  },
  version: 3,
  problems: [],
  notices: [{ message: "ends on 31 December in 30" }],
};

describe("standing values", () => {
  const serving = (more: Record<string, (body: never) => unknown> = {}) =>
    serve({
      "GET /tables/standing": () => [freight],
      "POST /tables/values": cells,
      "POST /tables/standing/check": () => ({
        ...freight,
        problems: [{ row: 1, column: "until", message: "overlaps the next" }],
      }),
      ...more,
    });

  it("tell today's value as the person reads it, and what is ahead", async () => {
    serving();
    const w = show(StandingTable);
    await flushPromises();
    await flushPromises();
    expect(w.find("tbody").text()).toContain("30: 4,5");
    expect(w.find("tbody").text()).toContain("ends on 31 December in 30");
  });

  it("are typed as the person writes, saved as they are kept, with the version that was seen", async () => {
    let kept: unknown;
    serving({ "PUT /tables/standing/freight": (b) => ((kept = b), freight) });
    const w = show(StandingTable);
    await flushPromises();
    await button(w, "Freight").trigger("click");
    await type(w, "Value of period 1", "1.200,50");
    expect(input(w, "Value of period 1").element.value).toBe("1.200,50");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept).toMatchObject({ version: 3, standing: { periods: [{ value: "1200.50" }, { value: "4" }] } });
    expect(w.find("form").exists()).toBe(false);
  });

  it("take what was typed last when Enter saves at once", async () => {
    let kept: { standing: typeof freight.standing } | undefined;
    serving({ "PUT /tables/standing/freight": (b) => ((kept = b), freight) });
    const w = show(StandingTable);
    await flushPromises();
    await button(w, "Freight").trigger("click");
    await input(w, "Value of period 2").setValue("7,25");
    await input(w, "Value of period 2").trigger("keydown.enter");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept!.standing.periods[1]!.value).toBe("7.25");
  });

  it("show what is wrong in the row where it was typed", async () => {
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    serving();
    const w = show(StandingTable);
    await flushPromises();
    await button(w, "Freight").trigger("click");
    await type(w, "Value of period 1", "abc");
    expect(input(w, "Value of period 1").element.value).toBe("abc");
    vi.runAllTimers();
    vi.useRealTimers();
    await eventually(() => expect(w.text()).toContain("overlaps the next"));
    const rows = w.findAll("form tbody tr");
    expect(rows[0]!.text()).not.toContain("overlaps");
    expect(rows[1]!.text()).toContain("overlaps the next");
  });

  it("begin a new period the day after the last one of the company ends", async () => {
    serving();
    const w = show(StandingTable);
    await flushPromises();
    await button(w, "Freight").trigger("click");
    await button(w, "Add a period").trigger("click");
    expect(input(w, "First day of period 3").element.value).toBe(written("2026-01-01"));
    expect(select(w, "Company of period 3").props("modelValue")).toBe("30");
  });

  it("stay as they are when they are refused, with what uses them", async () => {
    serving({
      "DELETE /tables/standing/freight": () =>
        json(
          {
            code: "in-use",
            detail: "freight is read by a rule",
            status: 409,
            title: "",
            type: "",
            count: 1,
            uses: [{ what: "rule", key: "7", title: "Freight by rate" }],
          },
          409,
        ),
    });
    const w = show(StandingTable);
    await flushPromises();
    await button(w, "Freight").trigger("click");
    await button(w, "Delete").trigger("click");
    await flushPromises();
    expect(w.find("form [role=alert]").text()).toContain("freight is read by a rule");
    expect(w.find("form [role=alert]").text()).toContain("Freight by rate");
    await button(w, "Cancel").trigger("click");
    expect(w.find("form").exists()).toBe(false);
  });
});

describe("a crosswalk", () => {
  const terms = () => ({
    version: 2,
    problems: [],
    crosswalk: {
      key: "terms",
      label: "Terms",
      note: "",
      keys: [{ key: "country", label: "Country", section: "", type: "text" as const }],
      results: [{ key: "rate", label: "Rate", section: "", type: "number" as const, decimals: 1 }],
      rows: [
        { keys: ["JP"], results: ["4.5"], from: "", until: "" },
        { keys: ["IE"], results: ["3"], from: "", until: "" },
      ],
      default: [],
    },
  });
  const serving = (more: Record<string, (body: never) => unknown> = {}) =>
    serve({
      "GET /tables/crosswalks/terms": terms,
      "GET /tables/crosswalks/terms/missing": () => ({
        codes: [
          { codes: ["DK"], rule: 4, count: 12, examples: [{ what: "vendor", key: "V1", title: "Fjord" }] },
        ],
        looked: 24000,
        whole: false,
      }),
      "POST /tables/crosswalks/check": (b: object) => ({ ...terms(), crosswalk: b }),
      "POST /tables/values": cells,
      ...more,
    });

  it("is edited as a grid: arrows move, Enter after the last row adds one", async () => {
    serving();
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    await flushPromises();
    expect(input(w, "Rate in row 1").element.value).toBe("4,5");
    input(w, "Rate in row 1").element.focus();
    await input(w, "Rate in row 1").trigger("keydown", { key: "ArrowDown" });
    expect(document.activeElement).toBe(input(w, "Rate in row 2").element);
    await input(w, "Rate in row 2").trigger("keydown", { key: "Enter" });
    await flushPromises();
    expect(document.activeElement).toBe(input(w, "Country in row 3").element);
  });

  it("draws some of many rows, and finds the others by words", async () => {
    const rows = Array.from({ length: 150 }, (_, i) => ({
      keys: [`C${i}`],
      results: ["1"],
      from: "",
      until: "",
    }));
    const many = () => ({ ...terms(), crosswalk: { ...terms().crosswalk, rows } });
    serving({ "GET /tables/crosswalks/terms": many });
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    expect(w.findAll(".rows tbody tr").length).toBe(100);
    expect(w.find(".more").text()).toContain("100 of 150 rows are shown");
    await w.find(`[aria-label="Find a code or result"]`).setValue("c149");
    expect(w.findAll(".rows tbody tr").length).toBe(1);
    expect(input(w, "Country in row 150").element.value).toBe("C149");
    await w.find(`[aria-label="Find a code or result"]`).setValue("nowhere");
    expect(w.find(".rows").text()).toContain("No row has these words.");
    await w.find(`[aria-label="Find a code or result"]`).setValue("");
    await button(w, "Show all").trigger("click");
    expect(w.findAll(".rows tbody tr").length).toBe(150);
  });

  it("saves no row that nobody filled in", async () => {
    let kept: { crosswalk: { rows: object[] } } | undefined;
    serving({ "PUT /tables/crosswalks/terms": (b) => ((kept = b), { ...terms(), version: 3 }) });
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    await button(w, "Add a row").trigger("click");
    await w.find(`[aria-label="Remove row 1"]`).trigger("click");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept!.crosswalk.rows).toMatchObject([{ keys: ["IE"] }]);
  });

  it("keeps what is typed while it is being saved", async () => {
    let arrives!: () => void;
    const way = new Promise<void>((done) => (arrives = done));
    const sent: { version: number; crosswalk: object }[] = [];
    serving({
      "PUT /tables/crosswalks/terms": (b: { version: number; crosswalk: object }) => {
        sent.push(b);
        return way.then(() => ({ ...terms(), crosswalk: b.crosswalk, version: 3 }));
      },
    });
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    await type(w, "Country in row 1", "SE");
    await w.find("form").trigger("submit");
    await flushPromises();
    await type(w, "Country in row 1", "NO");
    arrives();
    await flushPromises();
    expect(input(w, "Country in row 1").element.value).toBe("NO");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(sent.map((b) => b.version)).toEqual([terms().version, 3]);
    expect(sent[1]!.crosswalk).toMatchObject({ rows: [{ keys: ["NO"] }, {}] });
  });

  it("tells the codes that records have and it lacks, with where they are", async () => {
    serving();
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    const missing = w.find('[aria-label="Missing codes"]').text();
    expect(missing).toContain("DK");
    expect(missing).toContain("12");
    expect(missing).toContain("rule 4");
    expect(missing).toContain("Fjord");
    expect(missing).toContain("of the saved records the first 24,000 were looked at");
  });

  it("takes pasted rows, and gives back what was there", async () => {
    const asked = serving({
      "POST /tables/crosswalks/read": (b: { crosswalk: object }) => ({
        ...terms(),
        crosswalk: {
          ...b.crosswalk,
          rows: [...terms().crosswalk.rows, { keys: ["DK"], results: ["2"], from: "", until: "" }],
        },
      }),
    });
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    await input(w, "Country in row 1").trigger("paste", { clipboardData: { getData: () => "DK\t2\n" } });
    await flushPromises();
    expect(asked.find((a) => a.path.endsWith("/read"))!.body).toMatchObject({
      text: "DK\t2\n",
      replace: false,
    });
    expect(w.find("[role=status]").text()).toContain("1 row was added");
    expect(input(w, "Country in row 3").element.value).toBe("DK");
    await button(w, "Discard the loaded rows").trigger("click");
    expect(input(w, "Country in row 3").exists()).toBe(false);
  });

  it("has a row for every other code; without one they are refused", async () => {
    let kept: { crosswalk: ReturnType<typeof terms>["crosswalk"]; version: number } | undefined;
    serving({ "PUT /tables/crosswalks/terms": (b) => ((kept = b), { ...terms(), version: 3 }) });
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    expect(button(w, "Save").element.disabled, "nothing has changed").toBe(true);
    await type(w, "Rate for every other code", "9,5");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept).toMatchObject({ version: 2, crosswalk: { default: ["9.5"] } });
    expect(w.find("[role=status]").text()).toBe("Saved.");
    await type(w, "Rate for every other code", "");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept!.crosswalk.default).toEqual([]);
  });

  it("keeps its rows in step with its columns", async () => {
    serving();
    const w = show(CrosswalkEditor, { crosswalk: "terms" });
    await flushPromises();
    await button(w, "Add a column to look up").trigger("click");
    expect(w.findAll("tbody tr")[0]!.findAll("input.line")).toHaveLength(5);
    await button(w, "Remove").trigger("click");
    expect(w.findAll("tbody tr")[0]!.findAll("input.line")).toHaveLength(4);
    expect(input(w, "Rate in row 1").element.value).toBe("4,5");
  });
});

describe("number series", () => {
  const invoices = {
    series: {
      key: "inv",
      label: "Invoices",
      note: "",
      parts: [
        { is: "text", text: "INV" },
        { is: "counter", digits: 4 },
      ],
      start: 1,
      step: 1,
      end: 0,
      reset: "",
      byCompany: false,
      numbers: { kind: "vendor", companies: ["30"], types: [] },
    },
    version: 1,
    problems: [],
    counts: [{ company: "30", next: ["INV0007"], left: 9993, notice: { message: "nearly exhausted" } }],
    longest: 7,
  };

  it("say what they number, their next number and what is left", async () => {
    serve({ "GET /tables/series": () => [invoices] });
    const w = show(SeriesTable);
    await flushPromises();
    const row = w.find("tbody tr").text();
    expect(row).toContain("Vendors in 30");
    expect(row).toContain("INV0007");
    expect(row).toContain("9993");
    expect(row).toContain("nearly exhausted");
  });

  it("show the next numbers while they are designed, and what is wrong with a part", async () => {
    const previewed: { parts: { is: string }[] }[] = [];
    serve({
      "GET /tables/series": () => [invoices],
      "POST /tables/series/preview": (b: { parts: { is: string }[] }) => {
        previewed.push(b);
        return {
          ...invoices,
          series: b,
          counts: [{ company: "30", next: ["INV0007-2026"], left: 3 }],
          problems: [{ row: 2, message: "a second year adds nothing" }],
        };
      },
    });
    const w = show(SeriesTable);
    await flushPromises();
    await button(w, "Invoices").trigger("click");
    await button(w, "Add a part").trigger("click");
    await choose(w, "Part 3", "year");
    await eventually(() => expect(w.find("form").text()).toContain("INV0007-2026"));
    expect(previewed.at(-1)!.parts.map((p) => p.is)).toEqual(["text", "counter", "year"]);
    expect(w.findAll(".parts li")[2]!.text()).toContain("a second year adds nothing");
    await w.find('[aria-label="Move part 3 up"]').trigger("click");
    expect([1, 2, 3].map((n) => select(w, `Part ${n}`).props("modelValue"))).toEqual([
      "text",
      "year",
      "counter",
    ]);
  });
});

describe("companies", () => {
  it("are added with their calendar, and the catalog is read anew", async () => {
    let kept: unknown;
    const asked = serve({
      "PUT /companies/50": (b) => ((kept = b), b),
      "GET /catalog": () => ({ today: "", user: "", companies: [], kinds: [], lists: [] }),
    });
    const w = show(CompaniesTable);
    await button(w, "Add a company").trigger("click");
    const fields = w.findAll<HTMLInputElement>("form .fields input");
    for (const [i, text] of ["50", "Brinewell Norse", "NO", "NOK"].entries()) await fields[i]!.setValue(text);
    await w.findAll("form fieldset input")[4]!.trigger("change");
    await w.find("form").trigger("submit");
    await flushPromises();
    expect(kept).toMatchObject({ key: "50", currency: "NOK", calendar: { freeDays: [6, 7, 5] } });
    expect(asked.map((a) => a.path).filter((p) => !p.startsWith("/tables"))).toEqual([
      "/companies/50",
      "/catalog",
    ]);
  });

  it("are changed as a copy: leaving it changes nothing", async () => {
    serve({});
    const w = show(CompaniesTable);
    await button(w, "30").trigger("click");
    await w.find("form .wide input").setValue("Another name");
    await button(w, "Cancel").trigger("click");
    expect(w.text()).toContain("Kaisan");
    expect(w.text()).not.toContain("Another name");
  });
});

describe("a choice list", () => {
  const entries = ["AIR", "ROAD", "SEA"].map((code) => ({
    code,
    label: code.toLowerCase(),
    from: "",
    until: "",
  }));
  const list = {
    key: "ways",
    label: "Ways",
    note: "",
    entries,
    views: [{ company: "10", only: ["AIR", "SEA"] }],
  };
  const codes = (w: VueWrapper) =>
    w.findAll<HTMLInputElement>("[aria-label^='Code in row']").map((e) => e.element.value);
  const remove = (w: VueWrapper, code: string) => w.find(`[aria-label="Remove ${code}"]`).trigger("click");

  it("takes out the entries that were chosen, whichever answer about what holds them comes first", async () => {
    let arrives!: () => void;
    const way = new Promise<void>((done) => (arrives = done));
    const free = { records: 0, more: false, uses: [] };
    let sent: { list: { views: unknown } } | undefined;
    serve({
      "GET /tables/lists/ways": () => ({ list, version: 1, problems: [], notices: [] }),
      "POST /tables/lists/check": (b: object) => ({ list: b, problems: [], notices: [] }),
      "GET /tables/lists/ways/uses": (_, query) =>
        query.get("code") === "ROAD" ? way.then(() => free) : free,
      "PUT /tables/lists/ways": (b: { list: { views: unknown } }) => (
        (sent = b),
        { ...b, problems: [], notices: [] }
      ),
    });
    const w = show(ListEditor, { list: "ways" });
    await eventually(() => expect(codes(w)).toEqual(["AIR", "ROAD", "SEA"]));
    await remove(w, "ROAD");
    await remove(w, "AIR");
    await eventually(() => expect(codes(w)).toEqual(["ROAD", "SEA"]));
    arrives();
    await eventually(() => expect(codes(w)).toEqual(["SEA"]));
    await w.find("form").trigger("submit");
    await eventually(() => expect(sent?.list.views).toEqual([{ company: "10", only: ["SEA"], labels: {} }]));
  });

  it("keeps an entry that something holds, and tells what", async () => {
    serve({
      "GET /tables/lists/ways": () => ({ list, version: 1, problems: [], notices: [] }),
      "POST /tables/lists/check": (b: object) => ({ list: b, problems: [], notices: [] }),
      "GET /tables/lists/ways/uses": () => ({
        records: 2,
        more: false,
        uses: [{ what: "rule", key: "7", title: "By sea", count: 1 }],
      }),
    });
    const w = show(ListEditor, { list: "ways" });
    await eventually(() => expect(codes(w)).toHaveLength(3));
    await remove(w, "SEA");
    await eventually(() => expect(w.find("[role=alert]").text()).toContain("SEA is held by 2 records"));
    expect(w.find("[role=alert]").text()).toContain("By sea");
    expect(codes(w)).toEqual(["AIR", "ROAD", "SEA"]);
  });
});
