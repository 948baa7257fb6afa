<script setup lang="ts">
import { count } from "@/queries/format";
import { runStates, works, type Run } from "@/queries/runs";

/** How far a run is, and what it has counted so far. */
defineProps<{ run: Run }>();
</script>

<template>
  <p role="status" class="counts">
    <template v-if="run.state === 'failed'">Failed: {{ run.problem }}</template>
    <template v-else-if="run.impact && (run.impact.refused || run.impact.changed)">
      Of {{ count(run.impact.looked) }} in its scope it would refuse
      <b>{{ count(run.impact.refused) }}</b> and change <b>{{ count(run.impact.changed) }}</b> when they are
      saved next.
    </template>
    <template v-else-if="run.impact && run.state === 'done'">
      None of {{ count(run.impact.looked) }} in its scope would be refused or changed.
    </template>
    <template v-else-if="run.impact"
      >Of {{ count(run.impact.looked) }} in its scope none would be refused or changed so far.</template
    >
    <template v-if="works(run)">
      <progress :max="run.total || 1" :value="run.done" :aria-label="`${run.done} of ${run.total}`" />
      <span class="quiet">{{
        run.state === "waiting" ? runStates.waiting : `${count(run.done)} of ${count(run.total)} looked at`
      }}</span>
    </template>
    <span v-else-if="run.state !== 'done' && run.state !== 'failed'" class="quiet">
      {{ runStates[run.state] }} after {{ count(run.done) }} of {{ count(run.total) }}
    </span>
  </p>
</template>

<style scoped>
.counts {
  margin: 0 0 6px;
}
progress {
  width: 120px;
  margin: 0 8px 0 4px;
  vertical-align: middle;
  accent-color: var(--ink);
}
</style>
