<script setup lang="ts">
import { ref } from "vue";
import type { Field } from "@/api/client";
import CalendarButton from "@/ui/CalendarButton.vue";
import LateInput from "@/ui/LateInput.vue";
import { written } from "@/queries/format";
import { read } from "@/queries/values";

/** A day, typed as the person writes dates or picked from a calendar; kept as 2026-11-24, blank for none. */
const day = defineModel<string>({ default: "" });
const props = defineProps<{ label: string; required?: boolean }>();
/** What is being read, or cannot be read, stays in sight. */
const typed = ref<string>();

const date: Field = { key: "day", label: props.label, section: "", type: "date" };
async function take(text: string) {
  typed.value = text;
  const found = await read(date, text.trim());
  const understood = !found || /^\d{4}-\d\d-\d\d$/.test(found);
  typed.value = understood ? undefined : text;
  day.value = found;
}
</script>

<template>
  <span class="date-input">
    <LateInput
      :value="typed ?? written(day)"
      :aria-label="label"
      :aria-invalid="typed !== undefined"
      :required="required"
      @take="take"
    />
    <CalendarButton :label="label" :day="day" @pick="((typed = undefined), (day = $event))" />
  </span>
</template>

<style scoped>
.date-input {
  position: relative;
  display: inline-block;
  min-width: 104px;
}
.date-input :deep(input.line) {
  width: 100%;
  padding-right: 20px;
}
</style>
