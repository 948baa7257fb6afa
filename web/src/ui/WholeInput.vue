<script setup lang="ts">
import { ref } from "vue";

/** A whole number. What is none stays in sight, is marked and keeps the form from being sent. */
const value = defineModel<number | undefined>({ required: true });
const props = defineProps<{ min?: number; max?: number }>();
const wrong = ref<string>();

function take(event: Event) {
  const input = event.target as HTMLInputElement;
  const text = input.value.trim();
  const n = text === "" ? undefined : Number(text);
  const { min = -Infinity, max = Infinity } = props;
  const fits = n === undefined || (Number.isSafeInteger(n) && n >= min && n <= max);
  wrong.value = fits ? undefined : text;
  input.setCustomValidity(fits ? "" : said());
  if (fits) value.value = n;
}
function said() {
  if (props.min === undefined) return "Type a whole number.";
  if (props.max === undefined) return `Type a whole number from ${props.min}.`;
  return `Type a whole number from ${props.min} to ${props.max}.`;
}
</script>

<template>
  <input
    class="line"
    inputmode="numeric"
    autocomplete="off"
    :value="wrong ?? value ?? ''"
    :aria-invalid="wrong !== undefined"
    @change="take"
  />
</template>
