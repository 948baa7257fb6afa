<script setup lang="ts">
import type { Family } from "@/api/client";
import { families } from "@/ui/families";

defineProps<{ family: Family; title?: string }>();
</script>

<template>
  <svg
    class="glyph"
    :class="`family-${family}`"
    viewBox="0 0 14 14"
    width="14"
    height="14"
    aria-hidden="true"
  >
    <title v-if="title">{{ title }}</title>
    <path :d="families[family].path" />
  </svg>
</template>

<style scoped>
.glyph {
  flex: none;
  vertical-align: -2px;
}
path {
  fill: none;
  stroke: var(--hue);
  stroke-width: 1.4;
  stroke-linejoin: round;
  stroke-linecap: round;
}
</style>
