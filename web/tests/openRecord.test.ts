import { flushPromises, mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it } from "vitest";
import { defineComponent, h, ref } from "vue";
import { createMemoryHistory, createRouter, RouterView } from "vue-router";
import type { Outcome, RecordView, Schemas } from "@/api/client";
import { useOpenRecord } from "@/features/records/openRecord";
import { unsaved } from "@/features/records/unsaved";
import { useCatalog } from "@/queries/catalog";
import { tell } from "@/queries/news";
import { fillCatalog } from "./catalog";
import { eventually } from "./eventually";
import { json, serve } from "./server";

type Save = Schemas["SaveRequest"];

const accepted: Outcome = {
  verdict: "accepted",
  day: "2026-11-24",
  today: "2026-11-24",
  version: { book: 1, program: "test" },
  fields: [],
  lines: [],
  messages: [],
};
const refused: Outcome = {
  ...accepted,
  verdict: "refused",
  messages: [
    { severity: "advise", code: "rule", field: "limit", text: "high" },
    { severity: "refuse", code: "required", field: "country", text: "Country is required; enter it" },
  ],
};

function saved(version: number, values: Record<string, string> = { country: "JP" }): RecordView {
  return {
    number: "V1",
    kind: "vendor",
    company: "30",
    type: "TRAD",
    state: "kept",
    version,
    title: "Yuzu",
    content: { values },
    followers: [],
    changedAt: "2026-11-24T09:00:00Z",
    changedBy: "Ben",
  };
}

const layout = { layout: { sections: [] }, made: false, company: "", type: "", others: [] };

/** A record at an address, and how the server answers a save. */
async function open(address: string, answers: Parameters<typeof serve>[0] = {}) {
  const asked = serve({
    "GET /records/vendor/V1": () => saved(1),
    "GET /layouts": () => layout,
    "POST /try": () => accepted,
    ...answers,
  });
  const pointed: string[] = [];
  let made: ReturnType<typeof useOpenRecord> | undefined;
  const view = defineComponent({
    setup() {
      made = useOpenRecord(
        ref({ point: (field: string) => void pointed.push(field), begin: () => undefined }),
      );
      return () => h("div");
    },
  });
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: "/records/:kind/:number", component: view },
      { path: "/:all(.*)*", component: { render: () => h("p") } },
    ],
  });
  await router.push(address);
  const screen = mount(() => h(RouterView), { global: { plugins: [router] } });
  await flushPromises();
  const saves = () => asked.filter((a) => a.path === "/records").map((a) => a.body as Save);
  return { record: made!, router, pointed, saves, asked, screen };
}

async function type(of: ReturnType<typeof useOpenRecord>, address: string, text: string) {
  await of.changed();
  await of.trial.enter(address, text);
}

beforeEach(() => {
  sessionStorage.clear();
  fillCatalog();
});

describe("an open record", () => {
  it("keeps what was typed when the screen is drawn anew", async () => {
    const first = await open("/records/vendor/V1");
    await type(first.record, "name", "Quay");
    first.screen.unmount();
    const again = await open("/records/vendor/V1");
    expect(again.record.dirty).toBe(true);
    expect(again.record.trial.textOf("name")).toBe("Quay");
  });

  it("is laid out for the company that was chosen last, whichever answer comes last", async () => {
    let arrives!: () => void;
    const way = new Promise<void>((done) => (arrives = done));
    const { record } = await open("/records/vendor/new?company=30&type=TRAD", {
      "GET /layouts": (_, query) => {
        const company = query.get("company") ?? "";
        return company === "10" ? way.then(() => ({ ...layout, company })) : { ...layout, company };
      },
    });
    const first = record.rescope({ company: "10" });
    await record.rescope({ company: "20" });
    arrives();
    await first;
    expect(record.layout?.company).toBe("20");
  });

  it("is saved with the version it was opened in, and shown as it was kept", async () => {
    const { record, saves } = await open("/records/vendor/V1", {
      "POST /records": () => ({ outcome: accepted, record: saved(2) }),
    });
    await type(record, "limit", "5");
    expect(record.dirty).toBe(true);
    await record.save();
    await flushPromises();
    expect(saves()[0]).toMatchObject({
      version: 1,
      document: { record: "V1", entered: { limit: { typed: "5" } } },
    });
    expect(record.dirty).toBe(false);
    expect(record.done).toBe("Saved.");
  });

  it("shows what somebody else saved while a change of one's own was being saved", async () => {
    const read = [saved(1), saved(2), { ...saved(3, { country: "DK" }), changedBy: "Moya Keane" }];
    const { record } = await open("/records/vendor/V1", {
      "GET /records/vendor/V1": () => (read.length > 1 ? read.shift() : read[0]),
      "POST /records": async () => {
        // It is told of an earlier change; who made the last one stands in the record.
        const changes = [{ kind: "vendor", key: "V1", by: "Jun Aoki", self: false }];
        await tell({ changes, presence: [], much: false });
        return { outcome: accepted, record: saved(2) };
      },
    });
    await type(record, "limit", "5");
    await record.save();
    await eventually(() => expect(record.done).toBe("Moya Keane changed this just now."));
    expect(record.record?.version).toBe(3);
    expect(record.trial.textOf("country")).toBe("DK");
  });

  it("is saved with what is typed still in a list of choices, which tells late that it was left", async () => {
    const { record, saves } = await open("/records/vendor/V1", {
      "POST /records": () => ({ outcome: accepted, record: saved(2) }),
    });
    const input = document.body.appendChild(document.createElement("input"));
    input.addEventListener("blur", () => setTimeout(() => void type(record, "country", "IE")));
    input.focus();
    await record.save();
    expect(saves()[0]).toMatchObject({ document: { entered: { country: { typed: "IE" } } } });
    input.remove();
  });

  it("keeps what was typed when it is refused, and points to what refuses", async () => {
    const { record, pointed } = await open("/records/vendor/new?company=30&type=TRAD", {
      "POST /records": () => ({ outcome: refused }),
    });
    expect(record.messages).toEqual([]); // nobody had a chance yet
    await type(record, "limit", "5");
    await record.save();
    await flushPromises(); // the form takes the cursor once it is free again
    expect(record.trial.textOf("limit")).toBe("5");
    expect(record.dirty).toBe(true);
    expect(pointed).toEqual(["country"]);
    expect(record.messages).toHaveLength(2);
  });

  it("leaves the cursor with whoever went on typing before it was refused", async () => {
    const there = document.body.appendChild(document.createElement("input"));
    const { record, pointed } = await open("/records/vendor/V1", {
      "POST /records": () => {
        there.focus();
        return { outcome: refused };
      },
    });
    await type(record, "limit", "5");
    await record.save();
    await flushPromises();
    expect(record.verdict).toBe("refused");
    expect(pointed).toEqual([]);
    there.remove();
  });

  it("goes to its number when a new one is saved", async () => {
    const { record, router } = await open("/records/vendor/new?company=30&type=TRAD", {
      "POST /records": () => ({ outcome: accepted, record: saved(1) }),
    });
    await type(record, "limit", "5");
    await record.save();
    await flushPromises();
    expect(router.currentRoute.value.fullPath).toBe("/records/vendor/V1");
    expect(record.done).toBe("Saved as V1.");
  });

  it("takes what somebody else changed when both changes are saved", async () => {
    const shown = (text: string) => ({ value: text, text });
    const stale = { code: "changed-meanwhile", detail: "x", status: 409, title: "", type: "" };
    const { record, saves } = await open("/records/vendor/V1", {
      "POST /records": (b: Save) =>
        b.version === 1 ? json(stale, 409) : { outcome: accepted, record: saved(3) },
      "POST /records/merge": () => ({
        record: saved(2),
        theirs: [{ field: "blocked", label: "Blocked", before: shown(""), after: shown("true") }],
        clashes: [
          { field: "limit", label: "Credit limit", base: shown(""), theirs: shown("9"), mine: shown("5") },
        ],
      }),
    });
    await type(record, "limit", "5");
    await record.save();
    expect(record.merge?.clashes).toHaveLength(1);
    await record.merged([
      { field: "blocked", value: "true" },
      { field: "country", value: "" },
    ]);
    const last = saves().at(-1)!;
    expect(last.version).toBe(2);
    expect(last.document.entered).toEqual({ limit: { typed: "5" }, blocked: { value: "true" } });
    expect(record.merge).toBeUndefined();
  });

  it("is put aside when it is left, and still changes the version it began with", async () => {
    const first = await open("/records/vendor/V1");
    await type(first.record, "limit", "5");
    await first.router.push("/rules");
    expect(unsaved.get("/records/vendor/V1")?.version).toBe(1);
    const again = await open("/records/vendor/V1", {
      "GET /records/vendor/V1": () => saved(2, { country: "IE" }),
      "POST /records": () => ({ outcome: refused }),
    });
    expect(again.record.trial.textOf("limit")).toBe("5");
    expect(again.record.dirty).toBe(true);
    await again.record.save();
    expect(again.saves()[0]!.version).toBe(1);
    await again.record.giveUp();
    expect(unsaved.get("/records/vendor/V1")).toBeUndefined();
    expect(again.record.trial.textOf("country")).toBe("IE");
    expect(again.record.dirty).toBe(false);
  });

  it("lists what stands in the way of deleting it", async () => {
    const uses = [{ what: "vendor", key: "V2", title: "Other" }];
    const { record, router } = await open("/records/vendor/V1", {
      "DELETE /records/vendor/V1": () =>
        json({ code: "linked", detail: "named by 1", status: 409, title: "", type: "", uses, count: 1 }, 409),
    });
    await record.remove();
    expect(record.trouble.problem).toBe("named by 1");
    expect(record.trouble.uses).toEqual(uses);
    expect(router.currentRoute.value.path).toBe("/records/vendor/V1");
  });

  it("does not call back whoever went on while it was posted, taken back or deleted", async () => {
    useCatalog().kinds[0]!.kind.posted = true;
    let arrive: (answer: unknown) => void = () => undefined;
    const slowly = () => new Promise((resolve) => (arrive = resolve));
    const posted = { ...saved(2), state: "posted" };
    for (const [deed, answer] of [
      ["post", { outcome: accepted, record: posted }],
      ["reverse", { ...posted, number: "V2", reverses: "V1" }],
      ["remove", new Response(null, { status: 204 })],
    ] as const) {
      const { record, router } = await open("/records/vendor/V1", {
        "POST /records/vendor/V1/post": slowly,
        "POST /records/vendor/V1/reverse": slowly,
        "DELETE /records/vendor/V1": slowly,
      });
      const done = deed === "reverse" ? record.reverse("2026-11-30") : record[deed]();
      await flushPromises();
      await router.push("/rules");
      arrive(answer);
      await done;
      await flushPromises();
      expect(router.currentRoute.value.path, deed).toBe("/rules");
    }
  });
});
