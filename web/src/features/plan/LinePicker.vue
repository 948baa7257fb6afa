<script setup lang="ts">
import { computed, ref } from "vue";
import { usePlan } from "@/queries/plan";

const plan = usePlan();
const place = computed(() => plan.lines.indexOf(plan.line));
const undo = ref<() => void>();

function step(by: number) {
  const next = plan.lines[place.value + by];
  if (next) plan.line = next;
}
function add() {
  plan.line = plan.addLine();
  undo.value = undefined;
}
function remove() {
  const gone = plan.line;
  const at = place.value;
  const back = plan.removeLine(gone);
  plan.line = plan.lines[Math.min(at, plan.lines.length - 1)] ?? 1;
  undo.value = () => {
    back();
    plan.line = gone;
    undo.value = undefined;
  };
}
</script>

<template>
  <span class="picker" role="group" aria-label="Line of the test document">
    <template v-if="plan.lines.length">
      <button type="button" class="plain" aria-label="Line before" :disabled="place <= 0" @click="step(-1)">
        ‹
      </button>
      <span aria-live="polite">line {{ plan.line }}, {{ place + 1 }} of {{ plan.lines.length }}</span>
      <button
        type="button"
        class="plain"
        aria-label="Next line"
        :disabled="place >= plan.lines.length - 1"
        @click="step(1)"
      >
        ›
      </button>
    </template>
    <span v-else class="quiet">the rules of every line</span>
    <button type="button" class="plain" @click="add">Add a line</button>
    <button v-if="plan.lines.length" type="button" class="plain" @click="remove">Remove</button>
    <button v-if="undo" type="button" class="plain" @click="undo">Undo</button>
  </span>
</template>

<style scoped>
.picker {
  font: 12px/20px var(--sans);
  margin-left: 14px;
  position: sticky;
  left: 90px;
}
.picker .plain {
  padding: 0 6px;
}
.picker .plain:disabled {
  opacity: 0.4;
  cursor: default;
}
</style>
