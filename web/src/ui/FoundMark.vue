<script setup lang="ts">
/** The mark of a finding: a diamond that is open, struck where it is silenced. */
defineProps<{ silenced?: boolean }>();
</script>

<template>
  <svg class="found" viewBox="0 0 14 14" width="12" height="12" aria-hidden="true">
    <path d="M7 1.500 12.500 7 7 12.500 1.500 7z" />
    <path v-if="silenced" d="M2 12 12 2" />
    <circle v-else cx="7" cy="7" r="1.200" />
  </svg>
</template>

<style scoped>
.found {
  fill: none;
  stroke: var(--default);
  stroke-width: 1.3;
  vertical-align: -1px;
  flex: none;
}
circle {
  fill: var(--default);
  stroke: none;
}
</style>
