<script setup lang="ts">
import type { Band } from "@/api/client";

/** The signal of a band: a shape in a tone, and what it means. */
defineProps<{ band: Pick<Band, "label" | "tone" | "shape">; bare?: boolean }>();

const shapes: Record<Band["shape"], string> = {
  round: "M6 1a5 5 0 1 1 0 10a5 5 0 0 1 0-10z",
  square: "M1.5 1.500h9v9h-9z",
  triangle: "M6 1l5.500 10h-11z",
  diamond: "M6 .5l5.500 5.500-5.500 5.500L.5 6z",
  bar: "M1 4.500h10v3H1z",
};
</script>

<template>
  <span class="signal" :class="`tone-${band.tone}`" :title="band.label">
    <svg viewBox="0 0 12 12" width="10" height="10" aria-hidden="true"><path :d="shapes[band.shape]" /></svg>
    <span :class="{ 'visually-hidden': bare }">{{ band.label }}</span>
  </span>
</template>

<style scoped>
.signal {
  display: inline-flex;
  align-items: baseline;
  gap: 4px;
  font-weight: 500;
  font-size: 12px;
  white-space: nowrap;
  color: var(--tone);
}
svg {
  fill: var(--tone);
  flex: none;
}
.tone-calm {
  --tone: var(--good);
}
.tone-fair {
  --tone: var(--follow-up);
}
.tone-watch {
  --tone: var(--default);
}
.tone-pressed {
  --tone: var(--validate);
}
.tone-plain {
  --tone: var(--ink-faint);
}
</style>
