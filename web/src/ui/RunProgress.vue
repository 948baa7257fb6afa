<script setup lang="ts">
import { computed } from "vue";
import { count } from "@/queries/format";
import { runStates, type Run } from "@/queries/runs";
import ProgressBar from "@/ui/ProgressBar.vue";

/** How far a run is that works or waits for its turn. */
const props = defineProps<{ run: Run; verb?: string }>();
const told = computed(() => {
  const { state, done, total } = props.run;
  if (state === "waiting") return runStates.waiting;
  if (!total) return "Starting…"; // what it goes through is still looked up
  return `${count(done)} of ${count(total)}${props.verb ? ` ${props.verb}` : ""}`;
});
</script>

<template>
  <span class="nowrap"
    ><ProgressBar :done="run.done" :total="run.total" /> <span class="quiet">{{ told }}</span></span
  >
</template>
