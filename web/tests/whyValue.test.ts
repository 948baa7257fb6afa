import { describe, expect, it } from "vitest";
import { mount, RouterLinkStub } from "@vue/test-utils";
import WhyValue from "@/features/records/WhyValue.vue";
import type { FieldOutcome } from "@/api/client";

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

describe("why a value", () => {
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
