import { flushPromises } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { effectScope } from "vue";
import type { Outcome } from "@/api/client";
import { addressOf, parseAddress } from "@/api/address";
import { suggesting } from "@/queries/choices";
import { documentOf, useTrial } from "@/queries/trial";
import { writeAs } from "@/queries/format";
import { fillCatalog } from "./catalog";
import { outcomeOf } from "./outcomes";
import { serve } from "./server";

const blank: Outcome = {
  verdict: "accepted",
  day: "2026-11-24",
  today: "2026-11-24",
  version: { book: 1, program: "test" },
  fields: [],
  lines: [],
  messages: [],
};
const scope = { kind: "sales_order", company: "10", type: "SO", day: "2026-11-24" };

/** What a test begins ends with it: it must not answer to what the next one changes. */
let living = effectScope();
beforeEach(() => {
  living = effectScope();
  fillCatalog();
});
afterEach(async () => {
  living.stop();
  await flushPromises();
});

function trial() {
  return living.run(() =>
    useTrial(
      scope,
      () => "saving",
      () => undefined,
    ),
  )!;
}

describe("addresses", () => {
  it("name a field of the header, or of a line, and are read back", () => {
    for (const [key, line] of [
      ["country", 0],
      ["lines.amount", 12],
    ] as const)
      expect(parseAddress(addressOf(key, line))).toEqual({ key, line });
    expect(addressOf("lines.amount", 2)).toBe("lines.2.amount");
    expect(addressOf("country", 2)).toBe("country");
  });
});

describe("a document with lines", () => {
  it("is sent line by line, in their order", async () => {
    const asked = serve({ "POST /try": () => blank });
    const t = trial();
    await t.enter("customer", "C1");
    await t.enter("lines.2.quantity", "5");
    await t.enter("lines.1.quantity", "3");
    const { document, moment } = asked.at(-1)!.body as { document: unknown; moment: string };
    expect(moment).toBe("saving");
    expect(document).toMatchObject({
      entered: { customer: { typed: "C1" } },
      lines: [
        { number: 2, entered: { quantity: { typed: "5" } } },
        { number: 1, entered: { quantity: { typed: "3" } } },
      ],
    });
  });

  it("keeps what was typed as the value it was read as, whatever way of writing comes after", async () => {
    const read = outcomeOf("freight", "1.234", {});
    read.entered = { value: "1234", text: "1.234" };
    const asked = serve({ "POST /try": () => ({ ...blank, fields: [read] }) });
    const t = trial();
    await t.enter("freight", "1.234");
    writeAs({ decimal: ".", group: ",", date: "dmy", separator: "/" });
    await flushPromises();
    const bodies = asked.map((a) => (a.body as { document: { entered: unknown } }).document.entered);
    expect(bodies[0]).toEqual({ freight: { typed: "1.234" } });
    expect(bodies.at(-1)).toEqual({ freight: { value: "1234" } });
    writeAs();
  });

  it("drops an answer that is late", async () => {
    let answer: (o: Outcome) => void = () => undefined;
    const first = new Promise<Outcome>((resolve) => (answer = resolve));
    let turn = 0;
    const later = outcomeOf("reference", "B", {});
    serve({ "POST /try": () => (turn++ ? { ...blank, fields: [later] } : first) });
    const t = trial();
    const slow = t.enter("reference", "A");
    await t.enter("reference", "B");
    answer({ ...blank, fields: [outcomeOf("reference", "A", {})] });
    await slow;
    expect(t.fields.value.get("reference")?.final.value).toBe("B");
  });

  it("gives a new line a number that no line had, and puts a removed line back where it was", async () => {
    serve({ "POST /try": () => blank });
    const t = trial();
    t.put({
      ...scope,
      entered: {},
      lines: [1, 2, 3].map((number) => ({ number, entered: { note: { value: `n${number}` } } })),
    });
    const back = t.removeLine(3);
    expect(t.lines.value).toEqual([1, 2]);
    expect(t.addLine()).toBe(4);
    t.lines.value = [1, 2];
    back();
    expect(t.lines.value).toEqual([1, 2, 3]);
    expect(t.textOf("lines.3.note")).toBe("n3");
  });

  it("shows what came of each line at its address", async () => {
    const field = (text: string) => {
      const shown = { value: text, text };
      return {
        key: "lines.note",
        entered: shown,
        sourced: shown,
        defaulted: shown,
        computed: shown,
        substituted: shown,
        final: shown,
        made: "",
        acts: [],
      };
    };
    serve({
      "POST /try": () => ({
        ...blank,
        lines: [
          { number: 1, fields: [field("one")] },
          { number: 7, fields: [field("seven")] },
        ],
      }),
    });
    const t = trial();
    await t.enter("lines.7.note", "x");
    expect(t.fields.value.get("lines.7.note")?.final.text).toBe("seven");
    expect(t.fields.value.get("lines.1.note")?.final.text).toBe("one");
  });

  it("is tried blank only where a form asks for it", async () => {
    const asked = serve({ "POST /try": () => blank });
    await trial().tryDocument();
    expect(asked).toHaveLength(0);
    const form = living.run(() =>
      useTrial(
        scope,
        () => "saving",
        () => undefined,
        true,
      ),
    )!;
    await form.tryDocument();
    expect(asked).toHaveLength(1);
  });

  it("is made of a saved record with all that it holds", () => {
    const document = documentOf({
      ...scope,
      number: "SO1",
      content: { values: { note: "a" }, lines: [{ number: 4, values: { item: "I1" } }] },
    });
    expect(document).toMatchObject({
      record: "SO1",
      entered: { note: { value: "a" } },
      lines: [{ number: 4, entered: { item: { value: "I1" } } }],
    });
  });
});

describe("choices of a link", () => {
  const field = {
    key: "customer",
    label: "Customer",
    section: "general",
    type: "link",
    kind: "customer",
  } as const;

  it("are the records that the company may name; a chosen one is found again by its number", async () => {
    const searches: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      const url = new URL(request.url);
      searches.push(
        `${url.pathname.split("/").pop()} ${url.searchParams.get("company")} ${url.searchParams.get("search")}`,
      );
      const found = [{ number: "C10001", title: "Quayside", about: "Ballinore", company: "10" }];
      return new Response(JSON.stringify(found), { headers: { "Content-Type": "application/json" } });
    });
    const suggest = suggesting(
      () => field,
      () => "10",
    );
    let found: unknown;
    await suggest("quay", (all) => (found = all));
    await suggest("C10001 Quayside", () => undefined);
    expect(found).toEqual([{ value: "C10001", label: "Quayside", about: "Ballinore" }]);
    expect(searches).toEqual(["customer 10 quay", "customer 10 C10001"]);
  });
});
