import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it } from "vitest";
import type { Outcome } from "@/api/client";
import { usePlan } from "@/queries/plan";
import { json, serve } from "./server";

type Body = { document: { entered: Record<string, { typed?: string; value?: string }>; record?: string } };

/** An outcome in which every entered text comes out in capitals. */
function outcome(body: Body, verdict: Outcome["verdict"] = "accepted"): Outcome {
  const shown = (text: string) => ({ value: text, text });
  return {
    verdict,
    day: "2026-11-24",
    today: "2026-11-24",
    version: { book: 1, program: "test" },
    messages: [],
    lines: [],
    fields: Object.entries(body.document.entered).map(([key, item]) => {
      const text = (item.typed ?? item.value ?? "").toUpperCase();
      return {
        key,
        entered: shown(text),
        sourced: shown(text),
        defaulted: shown(text),
        computed: shown(text),
        substituted: shown(text),
        final: shown(text),
        made: "entered",
        acts: [],
      };
    }),
  };
}

beforeEach(() => {
  setActivePinia(createPinia());
  Object.assign(usePlan().scope, { kind: "vendor", company: "10", type: "TRAD", day: "2026-11-24" });
});

describe("the test document", () => {
  it("is tried when a value is entered, and not when there is none", async () => {
    const asked = serve({ "POST /try": (b: Body) => outcome(b) });
    const plan = usePlan();
    await plan.enter("name", "salt");
    expect(plan.textOf("name")).toBe("SALT");
    await plan.enter("name", "  ");
    expect(plan.outcome).toBeUndefined();
    expect(asked).toHaveLength(1);
  });

  it("drops an answer that a later one has overtaken", async () => {
    const waiting: (() => void)[] = [];
    serve({
      "POST /try": async (b: Body) => {
        if (b.document.entered.name?.typed === "slow") await new Promise<void>((done) => waiting.push(done));
        return outcome(b);
      },
    });
    const plan = usePlan();
    const slow = plan.enter("name", "slow");
    await plan.enter("name", "quick");
    waiting.forEach((done) => done());
    await slow;
    expect(plan.textOf("name")).toBe("QUICK");
  });

  it("keeps what was typed when the server does not answer, and says so", async () => {
    serve({
      "POST /try": () => {
        throw new TypeError("failed to fetch");
      },
    });
    const plan = usePlan();
    await plan.enter("name", "salt");
    expect(plan.textOf("name")).toBe("salt");
    expect(plan.problem).toContain("does not answer");
  });

  it("is posted only when the server says so", async () => {
    let accept = false;
    serve({
      "POST /try": (b: Body) => outcome(b),
      "POST /postings": (b: Body) =>
        accept
          ? json({ summary: { number: "PV10-00001" }, document: b.document, outcome: outcome(b) }, 201)
          : outcome(b, "refused"),
    });
    const plan = usePlan();
    await plan.enter("name", "salt");
    expect(await plan.post()).toBe(false);
    expect(plan.posted).toBeUndefined();
    expect(plan.outcome?.verdict).toBe("refused");
    accept = true;
    expect(await plan.post()).toBe(true);
    expect(plan.posted?.number).toBe("PV10-00001");
    await plan.enter("name", "pepper");
    expect(plan.posted).toBeUndefined();
  });

  it("shows the problem that the server answers with", async () => {
    serve({
      "POST /try": () =>
        json({ code: "unknown-company", detail: "there is no company 99", status: 422 }, 422),
    });
    const plan = usePlan();
    await plan.enter("name", "salt");
    expect(plan.problem).toBe("there is no company 99");
  });

  it("takes a saved record as a change of it, and clears as a whole", async () => {
    const asked = serve({ "POST /try": (b: Body) => outcome(b), "GET /plan": () => ({ fields: [] }) });
    const plan = usePlan();
    await plan.take(
      {
        kind: "vendor",
        company: "10",
        type: "SERV",
        day: "2026-11-24",
        entered: { name: { value: "Ada" } },
        record: "V1",
      },
      "Change of V1",
    );
    expect((asked.find((a) => a.path === "/try")?.body as Body).document.record).toBe("V1");
    expect(plan.textOf("name")).toBe("ADA");
    await plan.clear();
    expect(plan.hasDocument).toBe(false);
    expect(plan.scope.company).toBe("10");
  });
});
