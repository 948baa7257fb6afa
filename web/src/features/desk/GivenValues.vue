<script setup lang="ts">
import type { Place } from "@/features/desk/order";

/** What rules give of fields that nobody keys; one of them is opened by a click. */
defineProps<{ values: { place: Place; text: string }[] }>();
const emit = defineEmits<{ open: [key: string] }>();
</script>

<template>
  <span class="given">
    <template v-for="(g, i) in values" :key="g.place.field.key"
      ><span v-if="i"> · </span
      ><button
        type="button"
        class="plain"
        tabindex="-1"
        :title="`Change ${g.place.label}`"
        @click="emit('open', g.place.field.key)"
      >
        {{ g.place.label }} <b>{{ g.text }}</b>
      </button></template
    >
  </span>
</template>

<style scoped>
.given {
  font: 12px/1.5 var(--sans);
  color: var(--ink-soft);
}
.plain {
  color: inherit;
  font-size: 12px;
  text-decoration: none;
}
b {
  font-weight: 500;
  color: var(--ink);
}
</style>
