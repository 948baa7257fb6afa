import { mount } from "@vue/test-utils";
import { afterEach, describe, expect, it } from "vitest";
import { nextTick } from "vue";
import FileButton from "@/ui/FileButton.vue";
import InvalidNote from "@/ui/InvalidNote.vue";
import ProgressBar from "@/ui/ProgressBar.vue";
import WholeInput from "@/ui/WholeInput.vue";

afterEach(() => document.body.replaceChildren());

describe("a whole number", () => {
  const whole = (props: Record<string, unknown> = {}) =>
    mount(WholeInput, { props: { modelValue: 3, ...props }, attachTo: document.body });
  const typed = async (w: ReturnType<typeof whole>, text: string) => {
    w.element.value = text;
    await w.trigger("change");
  };

  it("is taken when the input is left", async () => {
    const w = whole();
    expect(w.element.value).toBe("3");
    await typed(w, " 12 ");
    expect(w.emitted("update:modelValue")).toEqual([[12]]);
    await typed(w, "");
    expect(w.emitted("update:modelValue")!.at(-1), "nothing is no number").toEqual([undefined]);
  });

  it.each([
    ["two", {}, "Type a whole number."],
    ["1.5", {}, "Type a whole number."],
    ["9007199254740993", {}, "Type a whole number."],
    ["0", { min: 1 }, "Type a whole number from 1."],
    ["13", { min: 0, max: 12 }, "Type a whole number from 0 to 12."],
  ])("%s with %o stays in sight and is not taken", async (text, limits, said) => {
    const w = whole(limits);
    await typed(w, text);
    expect(w.emitted("update:modelValue")).toBeUndefined();
    expect(w.element.value).toBe(text);
    expect(w.attributes("aria-invalid")).toBe("true");
    expect(w.element.validationMessage).toBe(said);
    await typed(w, "7");
    expect(w.attributes("aria-invalid")).toBe("false");
    expect(w.element.checkValidity()).toBe(true);
  });
});

describe("the button of a file", () => {
  it("opens the choice of a file, and tells the chosen one each time", async () => {
    const w = mount(FileButton, { props: { label: "Load a file", accept: ".csv" }, attachTo: document.body });
    const input = w.find<HTMLInputElement>("input");
    let opened = 0;
    input.element.click = () => opened++;
    await w.find("button").trigger("click");
    expect(opened).toBe(1);
    const file = new File(["a;b"], "a.csv");
    for (let i = 1; i <= 2; i++) {
      Object.defineProperty(input.element, "files", { value: [file], configurable: true });
      await input.trigger("change");
      expect(w.emitted("chosen")).toHaveLength(i);
    }
    expect(w.emitted("chosen")![0]).toEqual([file]);
  });
});

describe("a progress bar", () => {
  it("tells how far work is, to those who do not see it too", () => {
    const w = mount(ProgressBar, { props: { done: 30, total: 120 } });
    expect(w.attributes()).toMatchObject({
      role: "progressbar",
      "aria-valuenow": "30",
      "aria-valuemax": "120",
    });
    expect(w.find("span span").attributes("style")).toContain("25%");
    const unknown = mount(ProgressBar, { props: { done: 30, total: 0 } });
    expect(unknown.attributes("aria-valuemax")).toBeUndefined();
  });
});

describe("what keeps a form from being sent", () => {
  it("is said at the first input of it, in our words, until that is changed", async () => {
    document.body.innerHTML = `<form><label>Name <input id="name" required></label><input id="key" aria-label="Key" required></form>`;
    const note = mount(InvalidNote, {
      attachTo: document.body,
      global: { stubs: { ElPopover: { template: "<div><slot/></div>" } } },
    });
    const form = document.querySelector("form")!;
    expect(form.checkValidity()).toBe(false);
    await nextTick();
    expect(note.text()).toBe("Fill in Name.");
    expect(document.activeElement?.id).toBe("name");
    const name = document.querySelector<HTMLInputElement>("#name")!;
    name.value = "Ports";
    name.dispatchEvent(new Event("input", { bubbles: true }));
    await nextTick();
    expect(note.text()).toBe("");
    form.checkValidity();
    await nextTick();
    expect(note.text()).toBe("Fill in Key.");
    note.unmount();
  });
});
