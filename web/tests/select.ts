import { flushPromises, type VueWrapper } from "@vue/test-utils";
import SelectBox from "@/ui/SelectBox.vue";

/** The select with a label; the nth of them where several have it. */
export function select(w: VueWrapper, label: string, nth = 0) {
  const found = w
    .findAllComponents(SelectBox)
    .filter((s) => s.attributes("aria-label") === label || (s.props() as { label: string }).label === label)[
    nth
  ];
  if (!found) throw new Error(`there is no select ${label}`);
  return found as unknown as { vm: VueWrapper["vm"]; props(name: string): unknown };
}

/** What can be chosen there. */
export function offered(w: VueWrapper, label: string): unknown[] {
  return (select(w, label).props("options") as { value: unknown }[]).map((o) => o.value);
}

/** Chooses a value, as if by hand. */
export async function choose(w: VueWrapper, label: string, value: unknown, nth = 0) {
  select(w, label, nth).vm.$emit("update:modelValue", value);
  select(w, label, nth).vm.$emit("change", value);
  await flushPromises();
}
