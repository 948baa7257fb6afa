import { acceptCompletion, completionStatus } from "@codemirror/autocomplete";
import { flushPromises, mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { nextTick } from "vue";
import type { FormulaAsk, FormulaStep, FunctionHelp } from "@/api/client";
import FormulaEditor from "@/features/rules/FormulaEditor.vue";
import FormulaSteps from "@/features/rules/FormulaSteps.vue";
import FormulaWords from "@/features/rules/FormulaWords.vue";
import { makeEditor, toldAt, type Surroundings } from "@/features/rules/formula/editor";
import { stepAt, told } from "@/features/rules/formula/explanation";
import { complete, functionAt, matching, nameAt, textFor } from "@/features/rules/formula/words";
import { choose } from "./select";
import { fillCatalog, names } from "./catalog";
import { eventually } from "./eventually";
import { serve } from "./server";

const functions: FunctionHelp[] = [
  {
    name: "string length",
    chapter: "Text",
    signature: "string length(string): number",
    help: "The number of characters.",
    example: 'string length("Salz") = 4',
    ours: false,
  },
  {
    name: "today",
    chapter: "Dates",
    signature: "today(): date",
    help: "The date of today.",
    example: "today() = today()",
    ours: false,
  },
  {
    name: "is blank",
    chapter: "Own",
    signature: "is blank(value): boolean",
    help: "Whether nothing is there.",
    example: "is blank(null) = true",
    ours: true,
  },
  {
    name: "some",
    chapter: "Lists",
    signature: "some … in … satisfies …",
    help: "Whether at least one item fits.",
    example: "some x in [1] satisfies x = 1",
    ours: false,
    form: true,
  },
];
const byName = new Map(names.names.map((n) => [n.name, n]));

describe("completion", () => {
  const shown = (before: string, explicit = false) =>
    complete(before, names.names, functions, explicit)?.words.map((w) => w.shown) ?? [];

  it("finds fields by their name and by their label", () => {
    expect(shown("lim")[0]).toBe("limit");
    expect(shown("credit")[0]).toBe("limit");
    expect(shown("limit > entered.")).toEqual(["entered.limit"]);
  });

  it("finds names of several words behind what is already written", () => {
    const found = complete("limit > string le", names.names, functions, false)!;
    expect(found.words[0]).toMatchObject({ written: "string length()", back: 1 });
    expect(found.length).toBe("string le".length);
    expect(complete("limit > 5 an", names.names, functions, false)?.words[0]?.written).toBe("and");
    const two = ["hold", "entered.hold", "hold_reason"].map((name) => ({
      ...names.names[0]!,
      name,
      label: name,
    }));
    expect(complete("not hold", two, functions, false)?.words.map((w) => w.written)).toEqual(["hold_reason"]);
    expect(complete("entered.hold", two, functions, false)).toBeUndefined();
  });

  it("goes on over the space in a name, and nowhere else", () => {
    expect(shown("limit > string ")).toEqual(["string length"]);
    expect(complete("credit ", names.names, functions, false)?.length).toBe("credit ".length);
    for (const before of ["limit ", "blocked and ", "not ", "string  "]) expect(shown(before)).toEqual([]);
    expect(shown("blocked and ", true)).toContain("is blank");
  });

  it("puts the cursor into the parentheses only where there is something to write", () => {
    expect(matching("today", names.names, functions)[0]).toMatchObject({ written: "today()", back: 0 });
  });

  it("offers everything when it is asked for, and nothing where nothing fits", () => {
    expect(shown("limit > ", true)).toContain("is blank");
    expect(shown("limit > ")).toEqual([]);
    expect(shown("xyz", true)).toEqual([]);
    expect(shown("limit")).not.toContain("limit");
  });

  it("knows which field a text is compared with", () => {
    const field = (before: string) => textFor(before, byName)?.name.name;
    expect(field('country = "J')).toBe("country");
    expect(field('country in ("JP", "I')).toBe("country");
    expect(field('country = "JP" and blocked != "')).toBe("blocked");
    expect(field('starts with("J')).toBeUndefined();
  });
});

describe("what stands at a place", () => {
  it("is the longest name there, or the function", () => {
    const text = "entered.limit > string length(country)";
    expect(nameAt(text, 3, byName)?.name).toBe("entered.limit");
    expect(nameAt(text, 33, byName)?.name).toBe("country");
    expect(nameAt(text, 14, byName)).toBeUndefined();
    expect(functionAt(text, 20, functions)?.name).toBe("string length");
    expect(functionAt("my string length2", 5, functions)).toBeUndefined();
  });
});

const formula = "limit > 1200 and blocked";
const step = (text: string, value: string, more: Partial<FormulaStep> = {}): FormulaStep => {
  const start = formula.indexOf(text);
  return { text, value, start, end: start + text.length, times: 1, ...more };
};
const steps = [
  step(formula, "true"),
  step("limit > 1200", "true"),
  step("limit", "1 480.00"),
  step("blocked", "yes"),
];

describe("an explanation", () => {
  it("tells every part with the values of the fields in it", () => {
    const parts = told(steps);
    expect(parts.map((p) => p.depth)).toEqual([0, 1]);
    expect(parts[1]!.text).toEqual([{ text: "limit", value: "1 480.00" }, { text: " > 1200" }]);
    const w = mount(FormulaSteps, { props: { steps } });
    expect(w.findAll("li")[1]!.text().replace(/\s+/g, " ")).toBe("limit1 480.00 > 1200 is true");
  });

  it("tells a single name, all rounds of a loop, and shows a part where it stands", async () => {
    expect(told([step("blocked", "yes")])[0]).toMatchObject({ value: "yes", depth: 0 });
    const looped = step("limit > 1200", "true", { values: ["false", "", "true"], times: 5 });
    const w = mount(FormulaSteps, { props: { steps: [looped, step("limit", "3")] } });
    expect(w.text()).toContain("false · blank · true …");
    await w.find("button").trigger("click");
    expect(w.emitted("show")).toEqual([[0, 12]]);
    expect(stepAt(steps, 1)?.text).toBe("limit");
    expect(stepAt(steps, 10)?.text).toBe("limit > 1200");
  });
});

describe("a look at a part with the pointer", () => {
  const around = {
    names: () => names.names,
    functions: () => functions,
    answer: () => ({ problems: [], type: "boolean", steps, failures: [] }),
  } as unknown as Surroundings;
  const at = (text: string, place: number) => toldAt(around, text, place)?.textContent ?? "";

  it("tells what a name is and its value, and how a function is called", () => {
    expect(at(formula, 2)).toBe("Credit limit: numberlimit is 1 480.00");
    expect(at("string length(country)", 3)).toContain('string length("Salz") = 4');
    expect(at(formula, 8)).toBe("limit > 1200 is true");
    expect(toldAt({ ...around, answer: () => undefined }, "5 > 4", 1)).toBeUndefined();
  });
});

describe("the list of proposals", () => {
  const around = {
    names: () => names.names,
    functions: () => functions,
    choices: () => [
      { value: "DE", label: "Germany" },
      { value: "DK", label: "Denmark" },
    ],
    answer: () => undefined,
    changed: () => undefined,
    moved: () => undefined,
  } as unknown as Surroundings;

  /** Types the first text, waits for the list, types the second and takes the first proposal at once. */
  async function taken(first: string, second: string) {
    const view = makeEditor(document.body, "", around);
    const type = (text: string) => {
      const at = view.state.selection.main.head;
      view.dispatch({
        changes: { from: at, insert: text },
        selection: { anchor: at + text.length },
        userEvent: "input.type",
      });
    };
    type(first);
    await eventually(() => expect(completionStatus(view.state)).toBe("active"));
    for (const letter of second) type(letter);
    const took = acceptCompletion(view);
    const text = view.state.doc.toString();
    view.destroy();
    return took ? text : `not taken: ${text}`;
  }

  it("has followed the last letter when Enter comes with it", async () => {
    expect(await taken('country = "d', "en")).toBe('country = "DK');
    expect(await taken("credit", " li")).toBe("limit");
    expect(await taken("l", "im")).toBe("limit");
  });
});

describe("the list of fields and functions", () => {
  it("is searched, gone through and taken from by keyboard", async () => {
    const w = mount(FormulaWords, { props: { names: names.names, functions }, attachTo: document.body });
    const input = w.find("input");
    expect(document.activeElement).toBe(input.element);
    await input.trigger("keydown", { key: "ArrowDown" });
    await input.trigger("keydown", { key: "Enter" });
    await input.setValue("characters");
    expect(w.find(".about").text()).toContain('string length("Salz") = 4');
    await input.trigger("keydown", { key: "Enter" });
    await input.setValue("nothing like it");
    expect(w.text()).toContain("No results.");
    await input.trigger("keydown", { key: "Escape" });
    expect(w.emitted<[{ written: string }]>("insert")?.map(([word]) => word.written)).toEqual([
      "limit",
      "string length()",
    ]);
    expect(w.emitted("close")).toHaveLength(1);
    w.unmount();
  });

  it("is narrowed to a group, and taken from by a double click", async () => {
    const w = mount(FormulaWords, { props: { names: names.names, functions } });
    await choose(w, "Group", "Own");
    expect(w.findAll("[role=option]")).toHaveLength(1);
    expect(w.find(".about").text()).toContain("An addition to the standard");
    await w.find("[role=option]").trigger("dblclick");
    expect(w.emitted<[{ written: string }]>("insert")?.[0]?.[0].written).toBe("is blank()");
  });
});

describe("the editor of a formula", () => {
  beforeEach(fillCatalog);

  function open(answer: (ask: FormulaAsk) => object, text = "contry") {
    vi.useFakeTimers();
    const asked = serve({
      "GET /names": () => names,
      "GET /functions": () => functions,
      "POST /formulas/check": answer as never,
    });
    const rule = { kind: "vendor", target: "limit", family: "validate" as const };
    const w = mount(FormulaEditor, {
      props: { modelValue: text, label: "When", part: "when", rule },
      attachTo: document.body,
    });
    return { w, asked };
  }
  async function settle() {
    await vi.advanceTimersByTimeAsync(200);
    await flushPromises();
    vi.useRealTimers();
    await flushPromises();
  }

  it("underlines what the server finds, and writes what it proposes", async () => {
    const problem = {
      part: "when",
      severity: "error",
      code: "unknown-name",
      message: "did you mean country?",
      suggestion: "country",
      start: 0,
      end: 6,
      line: 1,
      column: 1,
    };
    const { w } = open((ask) => ({
      problems: ask.formula === "contry" ? [problem] : [],
      type: "",
      steps: [],
      failures: [],
    }));
    await settle();
    expect(w.find(".cm-lintRange-error").text()).toBe("contry");
    expect(w.find(".cm-content").attributes("aria-invalid")).toBe("true");
    expect(w.text()).toContain("did you mean country? (line 1, column 1)");
    await w.find(".problems button").trigger("click");
    await nextTick();
    expect(w.emitted("update:modelValue")).toEqual([["country"]]);
    w.unmount();
  });

  it("shows the value for the test document, why on demand, and what went wrong there", async () => {
    const { w } = open(
      () => ({
        problems: [],
        type: "boolean",
        value: "true",
        steps,
        failures: [{ message: "division by zero", start: 0, end: 5 }],
      }),
      formula,
    );
    await settle();
    expect(w.find(".value").text()).toBe("= true");
    expect(w.find(".steps").exists()).toBe(false);
    await w.find(".result").trigger("click");
    expect(w.findAll(".steps li")).toHaveLength(2);
    expect(w.text()).toContain("On this document: division by zero in limit");
    w.unmount();
  });

  it("leaves an answer aside that comes after the formula has changed", async () => {
    let release = () => {};
    const slow = new Promise<void>((resolve) => (release = resolve));
    const { w, asked } = open(async (ask) => {
      if (ask.formula === "limit > 1") await slow;
      return { problems: [], type: "boolean", value: ask.formula, steps: [], failures: [] };
    }, "limit > 1");
    await w.setProps({ modelValue: "limit > 2" });
    await settle();
    release();
    await flushPromises();
    expect(asked.filter((a) => a.path === "/formulas/check")).toHaveLength(2);
    expect(w.find(".value").text()).toBe("= limit > 2");
    w.unmount();
  });

  it("writes a correction that is asked for before the answer where it belongs by then", async () => {
    const { w } = open((ask) => {
      const start = ask.formula.indexOf("contry");
      return {
        problems: [
          {
            part: "when",
            severity: "error",
            code: "unknown-name",
            message: "did you mean country?",
            suggestion: "country",
            start,
            end: start + 6,
            line: 1,
            column: start + 1,
          },
        ],
        type: "",
        steps: [],
        failures: [],
      };
    });
    await vi.advanceTimersByTimeAsync(200);
    await flushPromises();
    const written = () => w.emitted("update:modelValue")?.at(-1)?.[0];
    for (const [text, corrected, ask] of [
      ["not(contry)", "not(country)", () => w.find(".problems button").trigger("click")],
      [
        "x and contry",
        "x and country",
        () => w.find(".cm-content").trigger("keydown", { key: "Enter", altKey: true }),
      ],
    ] as const) {
      // A document of the tests tells of a selection at once, a browser once it is done.
      w.find<HTMLElement>(".cm-content").element.blur();
      await w.setProps({ modelValue: text });
      await ask();
      expect(w.find(".cm-content").text()).toBe(text);
      await vi.advanceTimersByTimeAsync(200);
      await flushPromises();
      expect(written()).toBe(corrected);
    }
    // What is typed since then is not changed behind one's back.
    w.find<HTMLElement>(".cm-content").element.blur();
    await w.setProps({ modelValue: "contry = 1" });
    await w.find(".problems button").trigger("click");
    await w.setProps({ modelValue: "contry = 12" });
    await settle();
    expect(w.find(".cm-content").text()).toBe("contry = 12");
    w.unmount();
  });
});
