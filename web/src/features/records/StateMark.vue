<script setup lang="ts">
defineProps<{ state: "kept" | "posted" | "reversed" | "merged" }>();
const words = { kept: "saved", posted: "posted", reversed: "reversed", merged: "merged" };
const shapes = {
  kept: "M3 6h6",
  posted: "M2.5 6.500l2.500 2.500 4.500-6",
  merged: "M2 3h3l2 3h3M2 9h3l2-3",
  reversed: "M9 3H5a2.500 2.500 0 0 0 0 5h4M5 1 3 3l2 2",
};
</script>

<template>
  <span class="state" :class="state">
    <svg viewBox="0 0 12 12" width="11" height="11" aria-hidden="true"><path :d="shapes[state]" /></svg>
    {{ words[state] }}
  </span>
</template>

<style scoped>
.state {
  color: var(--ink-soft);
  white-space: nowrap;
}
.posted {
  color: var(--good);
}
.reversed {
  text-decoration: line-through;
}
svg {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.5;
  stroke-linecap: round;
}
</style>
