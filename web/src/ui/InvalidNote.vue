<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { ElPopover } from "element-plus";
import { ref, shallowRef } from "vue";

/**
 * Says of the first input that keeps a form from being sent what is wrong with it, drawn as everything
 * else is. It goes when the input is changed or left.
 */
const at = shallowRef<HTMLElement>();
const said = ref("");

type Checked = HTMLInputElement | HTMLTextAreaElement;
function reason(input: Checked): string {
  const name = input.getAttribute("aria-label") || input.labels?.[0]?.innerText.trim() || "";
  if (input.validity.customError) return input.validationMessage;
  if (input.validity.valueMissing) return name ? `Fill in ${name}.` : "Fill this in.";
  if (input.validity.tooShort) return `At least ${input.minLength} characters.`;
  return input.validationMessage;
}
useEventListener(
  document,
  "invalid",
  (event) => {
    event.preventDefault();
    const input = event.target as Checked;
    // All inputs that are wrong are told one after another; the first is where one begins.
    if (at.value?.isConnected && at.value !== input && at.value.closest("form") === input.closest("form"))
      return;
    said.value = reason(input);
    at.value = input;
    input.focus();
  },
  { capture: true },
);
const gone = (event: Event) => {
  if (event.target === at.value) at.value = undefined;
};
useEventListener(document, ["input", "focusout"], gone);
</script>

<template>
  <ElPopover
    v-if="at"
    :key="said"
    visible
    virtual-triggering
    :virtual-ref="at"
    width="auto"
    placement="bottom-start"
    :show-arrow="false"
    :offset="4"
    popper-class="invalid-note"
  >
    <span role="alert">{{ said }}</span>
  </ElPopover>
</template>
