<script setup lang="ts">
import { computed } from "vue";
import type { Confirmation } from "@/api/client";

/**
 * How far proofs confirm a rule: a disc of two halves, the upper for acting, the lower for keeping
 * still; crossed out where a proof fails, broken where one no longer runs.
 */
const props = defineProps<{ state: Confirmation["state"]; words?: boolean }>();
const upper = computed(() => ["proved to act", "proved both ways"].includes(props.state));
const lower = computed(() => ["proved not to act", "proved both ways"].includes(props.state));
const kind = computed(() =>
  props.state === "failing" ? "failing" : props.state === "proved both ways" ? "both" : "open",
);
</script>

<template>
  <span class="mark" :class="kind">
    <svg
      viewBox="0 0 14 14"
      width="13"
      height="13"
      :role="words ? undefined : 'img'"
      :aria-label="words ? undefined : state"
      :aria-hidden="words || undefined"
    >
      <path v-if="upper" class="full" d="M1.500 7a5.500 5.500 0 0 1 11 0z" />
      <path v-if="lower" class="full" d="M1.500 7a5.500 5.500 0 0 0 11 0z" />
      <circle cx="7" cy="7" r="5.500" :stroke-dasharray="state === 'out of date' ? '2 2' : undefined" />
      <path v-if="state === 'failing'" d="M4 4l6 6M10 4l-6 6" />
    </svg>
    <span v-if="words" class="words">{{ state }}</span>
  </span>
</template>

<style scoped>
.mark {
  white-space: nowrap;
  color: var(--ink-soft);
}
.words {
  margin-left: 5px;
}
.both {
  color: var(--good);
}
.failing {
  color: var(--refused);
}
svg {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.4;
  vertical-align: -2px;
}
.full {
  fill: currentcolor;
  stroke: none;
}
</style>
