<script setup lang="ts">
/** How far long work is. It says nothing of how much is left where the whole is not known yet. */
defineProps<{ done: number; total: number; label?: string; wide?: boolean }>();
</script>

<template>
  <span
    class="progress"
    :class="{ wide }"
    role="progressbar"
    :aria-label="label ?? 'Progress'"
    :aria-valuenow="done"
    aria-valuemin="0"
    :aria-valuemax="total || undefined"
    ><span :style="{ width: total ? `${Math.min(100, (100 * done) / total)}%` : '0' }"
  /></span>
</template>

<style scoped>
.progress {
  display: inline-block;
  width: 120px;
  height: 6px;
  vertical-align: middle;
  background: var(--paper-sunk);
  border-bottom: 1px solid var(--rule);
  margin-right: 4px;
}
.progress.wide {
  display: block;
  width: 100%;
  height: 3px;
  margin: 0 0 6px;
}
.progress span {
  display: block;
  height: 100%;
  background: var(--ink);
}
</style>
