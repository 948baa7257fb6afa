import { flushPromises, mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it, vi } from "vitest";
import WaitingView from "@/features/waiting/WaitingView.vue";
import { queryClient } from "@/queries/client";
import { fillCatalog } from "./catalog";
import { json } from "./server";

const link = { template: '<a :href="to"><slot /></a>', props: ["to"] };

function lines(...list: unknown[]): Response {
  return new Response(list.map((l) => JSON.stringify(l) + "\n").join(""), { status: 200 });
}

describe("what waits", () => {
  const now = "2026-11-26T09:00:00Z";
  const change = { what: "rule", key: "12", name: "Terms of Kaisan", deed: "in force", by: "Moya", at: now };
  const asked: string[] = [];
  let codicils: unknown[] = [];
  const waiting = {
    proofs: [],
    unproved: 0,
    rules: [],
    runs: [],
    drafts: [] as unknown[],
    changes: [change],
    now,
  };

  beforeEach(() => {
    localStorage.clear();
    queryClient.clear();
    asked.length = 0;
    fillCatalog();
    waiting.drafts = [];
    codicils = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      const url = new URL(request.url);
      if (url.pathname.endsWith("/findings")) return lines();
      if (url.pathname.endsWith("/codicils")) return json({ codicils, more: false }, 200);
      asked.push(url.searchParams.get("since") ?? "");
      const since = url.searchParams.get("since") ?? "2026-11-19T09:00:00Z";
      return new Response(JSON.stringify({ ...waiting, changes: since === now ? [] : [change], since }), {
        headers: { "Content-Type": "application/json" },
      });
    });
  });
  const view = async () => {
    const w = mount(WaitingView, { global: { stubs: { RouterLink: link } } });
    for (let i = 0; i < 4; i++) await flushPromises();
    return w;
  };

  it("tells who comes for the first time only of what changes from then on", async () => {
    const w = await view();
    expect(asked).toEqual(["", now]);
    expect(w.text()).not.toContain("Terms of Kaisan");
    expect(w.text()).toContain("Nothing waits for you");
  });

  it("tells what others changed since it was read, until it is read again", async () => {
    localStorage.setItem("codicil-changes-read", "2026-11-20T09:00:00Z");
    const w = await view();
    expect(w.find('[aria-label="What others changed"] a').attributes("href")).toBe("/plan?rule=12");
    await w
      .findAll("button")
      .find((b) => b.text() === "I have read these")!
      .trigger("click");
    for (let i = 0; i < 4; i++) await flushPromises();
    expect(asked.at(-1)).toBe(now);
    expect(w.text()).not.toContain("Terms of Kaisan");
  });

  it("says of a draft whether it could be put in force", async () => {
    const draft = { kind: "vendor", family: "default", sentence: "Fill the terms.", changedBy: "" };
    waiting.drafts = [
      { ...draft, rule: 3, state: "" },
      { ...draft, rule: 4, state: "there is no field clerks" },
    ];
    const w = await view();
    const drafts = w.find('[aria-label="Drafts"]').text();
    expect(drafts).toContain("ready to be put in force");
    expect(drafts).toContain("not finished: there is no field clerks");
  });

  it("tells of a draft's own codicil once it waits for signatures", async () => {
    const begun = { own: true, version: 1, changes: 1, made: { by: "Moya", at: now } };
    codicils = [
      { ...begun, id: 4, title: "A draft", state: "open" },
      { ...begun, id: 5, title: "To be signed", state: "submitted" },
    ];
    const told = (await view()).text();
    expect(told).toContain("To be signed");
    expect(told).not.toContain("A draft");
  });
});
