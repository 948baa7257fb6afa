<script setup lang="ts">
import { useTemplateRef } from "vue";

/** Picks a day from the calendar of the browser, beside an input in which it can be typed. */
defineProps<{ label: string; day?: string }>();
const emit = defineEmits<{ pick: [day: string] }>();
const picker = useTemplateRef<HTMLInputElement>("picker");

function pick(event: Event) {
  const day = (event.target as HTMLInputElement).value;
  if (day) emit("pick", day);
}
</script>

<template>
  <button
    type="button"
    class="plain calendar"
    tabindex="-1"
    :aria-label="`Calendar for ${label}`"
    @click="picker?.showPicker()"
  >
    <svg viewBox="0 0 14 14" width="13" height="13" aria-hidden="true">
      <path d="M2 3.500h10v8H2zM2 6h10M4.500 2v2M9.500 2v2" />
    </svg>
  </button>
  <input
    ref="picker"
    type="date"
    class="native"
    tabindex="-1"
    aria-hidden="true"
    :value="day"
    @change="pick"
  />
</template>

<style scoped>
.calendar {
  position: absolute;
  right: 3px;
  top: 4px;
  line-height: 1;
  color: var(--ink-soft);
}
.calendar svg {
  fill: none;
  stroke: currentcolor;
}
.native {
  position: absolute;
  bottom: 0;
  right: 0;
  width: 0;
  height: 0;
  opacity: 0;
  border: 0;
  padding: 0;
}
</style>
