import { beforeEach, describe, expect, it } from "vitest";
import { flushPromises, mount, RouterLinkStub } from "@vue/test-utils";
import WhyValue from "@/features/records/WhyValue.vue";
import type { Act, FieldOutcome } from "@/api/client";
import { queryClient } from "@/queries/client";
import { fillCatalog } from "./catalog";
import { serve } from "./server";

const shown = (text: string) => ({ text, value: text });
const blank = shown("");
const outcome = (over: Partial<FieldOutcome>): FieldOutcome => ({
  key: "clerk",
  entered: blank,
  sourced: blank,
  defaulted: blank,
  computed: blank,
  substituted: blank,
  final: shown("MOYA"),
  made: "stored",
  origin: "rule 7 v1",
  acts: [],
  ...over,
});
const act = {
  rule: 7,
  version: 1,
  family: "default",
  phrase: "MOYA",
  did: "acted",
  before: blank,
  after: shown("MOYA"),
  facts: [],
};
const show = (props: object) =>
  mount(WhyValue, {
    props: { label: "Contact", ...props } as never,
    global: { stubs: { RouterLink: RouterLinkStub } },
  });

const version = (rule: number, version: number) => ({
  rule,
  version,
  changedAt: "2026-03-03T09:00:00Z",
  changedBy: "Tobias Rell",
  codicil: { id: 14, title: "Terms of spring", state: "in force" },
});
beforeEach(() => {
  queryClient.clear();
  fillCatalog();
  serve({
    "GET /rules/7/versions": () => [version(7, 2), { ...version(7, 1), codicil: undefined }],
    "GET /rules/9/versions": () => [version(9, 1)],
    "GET /rules/12/versions": () => [version(12, 3)],
  });
});

describe("why a value", () => {
  it("names the codicil that brought the rule as it was", async () => {
    const saved = outcome({ made: "default", acts: [{ ...act, version: 2 }] as never });
    const w = show({ outcome: outcome({}), saved });
    await flushPromises();
    expect(w.find(".brought").text()).toContain("codicil 14, Terms of spring");
    expect(w.find(".brought").text()).toContain("Tobias Rell");
    expect(w.findAllComponents(RouterLinkStub).map((l) => l.props("to"))).toContain("/codicils/14");

    const older = show({ outcome: outcome({ origin: "rule 12 v3" }) });
    await flushPromises();
    expect(older.find(".brought").text()).toContain("codicil 14");
    const none = show({ outcome: outcome({ origin: "rule 7 v1" }) });
    await flushPromises();
    expect(none.find(".brought").text()).toContain("no codicil");
  });

  it("is told of what was saved by what rules did then", () => {
    const saved = outcome({ made: "default", acts: [act] as never });
    const w = show({ outcome: outcome({}), saved });
    expect(w.text()).toContain("When it was saved:");
    expect(w.find(".made").text()).toContain("rule 7");
  });

  it("is told by who gave it, where nothing more is known of then", () => {
    const w = show({ outcome: outcome({}) });
    expect(w.text()).toContain("Saved; rule 7 gave it");
    expect(w.find(".made").exists()).toBe(false);
  });

  it("is told by the rule that gives it now, whatever did then", () => {
    const now = outcome({ made: "substitute", acts: [{ ...act, rule: 9, family: "substitute" }] as never });
    const w = show({ outcome: now, saved: outcome({ made: "default", acts: [act] as never }) });
    expect(w.text()).not.toContain("When it was saved");
    expect(w.find(".made").text()).toContain("rule 9");
  });
});

describe("why a value that is typed", () => {
  const shown = (text: string) => ({ value: text, text });
  const act = (change: Partial<Act>): Act =>
    ({
      rule: 7,
      version: 1,
      family: "default",
      phrase: "N30",
      did: "acted",
      before: shown(""),
      after: shown("N30"),
      facts: [],
      ...change,
    }) as Act;
  const outcome = (change: Partial<FieldOutcome>): FieldOutcome =>
    ({
      key: "terms",
      entered: shown(""),
      final: shown("N30"),
      made: "default",
      acts: [],
      ...change,
    }) as FieldOutcome;
  const why = (o: FieldOutcome) =>
    mount(WhyValue, {
      props: { label: "Terms", outcome: o },
      global: { stubs: { RouterLink: RouterLinkStub } },
    }).text();

  it("is told by the rules that changed it, with the values that decided", () => {
    const text = why(
      outcome({
        made: "substitute",
        final: shown("N45"),
        acts: [
          act({}),
          act({
            rule: 9,
            family: "substitute",
            phrase: "N45 when Country is JP",
            before: shown("N30"),
            after: shown("N45"),
            facts: [{ text: "Country", value: "JP" }],
          }),
          act({ rule: 11, family: "substitute", did: "beaten", by: 9 }),
        ],
      }),
    );
    expect(text).toContain("rule 7");
    expect(text).toContain("N30 → N45");
    expect(text).toContain("JP");
    expect(text).toContain("1 other rule did nothing");
  });

  it.each([
    ["entered", "person", "Typed here"],
    ["entered", "carried", "Carried over from the record before"],
    ["stored", "rule 12 v3", "Saved; rule 12 gave it"],
    ["stored", "person", "Saved; a person entered it"],
    ["stored", "load", "Saved; it came from a load"],
    ["stored", "", "Saved"],
  ])("is %s, by %s: %s", (made, origin, words) => {
    expect(why(outcome({ made, origin }))).toContain(words);
  });

  it("is told of a blank, and of a rule that failed", () => {
    expect(why(outcome({ final: shown(""), made: "" }))).toContain(
      "nobody entered a value and no rule gave one",
    );
    expect(why(outcome({ acts: [act({ did: "failed", reason: "division by zero" })] }))).toContain(
      "failed: division by zero",
    );
  });
});
