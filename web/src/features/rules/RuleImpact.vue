<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { onUnmounted, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import type { RuleChange } from "@/api/client";
import RunCounts from "@/features/runs/RunCounts.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useAttempt } from "@/queries/attempt";
import { startRun, stopRun, useHits, useRun, works, type RunHit } from "@/queries/runs";

/** What a rule would do to the records that exist already: in numbers first, then one by one. */
const props = defineProps<{
  rule: number;
  version: number;
  open?: boolean;
  /** The rule as it is being changed; none: as it is kept. */
  change?: RuleChange;
}>();
const tried = useAttempt();
const asked = ref(props.open);
const id = ref<number>();
const run = useRun(() => id.value);
/** As many as can be read here; the run has all. */
const most = 50;
const hits = useHits(() => run.data, most);

let mine = 0;
async function load() {
  leave();
  const turn = ++mine;
  id.value = undefined;
  await tried.attempt(async () => {
    const begun = await startRun({ rule: props.rule, change: props.change });
    if (turn === mine) id.value = begun.id;
    else void stopRun(begun.id);
  });
}
/** Nobody looks at it any more: what works without need is stopped, and stays among the runs. */
function leave() {
  if (id.value && works(run.data)) void stopRun(id.value);
}
watch(
  () => [asked.value, props.rule, props.version],
  () => {
    if (asked.value) void load();
  },
  { immediate: true },
);
onUnmounted(() => {
  mine++;
  if (props.change) leave();
});

const words: Partial<Record<RunHit["what"], string>> = {
  refuse: "refuses",
  confirm: "asks",
  advise: "advises",
  change: "changes",
  ease: "asks or refuses less",
};
</script>

<template>
  <section class="impact" aria-label="Existing records">
    <button v-if="!asked" type="button" class="plain ask" @click="asked = true">
      Effect on existing records
    </button>
    <template v-else>
      <h3>Existing records</h3>
      <TroubleNote v-bind="tried.trouble" />
      <p v-if="run.problem" role="alert">{{ run.problem }}</p>
      <p v-else-if="!run.data && tried.busy" class="quiet">Looking…</p>
      <template v-if="run.data">
        <RunCounts :run="run.data" />
        <p class="ways">
          <button v-if="works(run.data)" type="button" class="plain" @click="stopRun(run.data.id)">
            Stop
          </button>
          <RouterLink :to="`/runs?run=${run.data.id}`">All with their values before and after</RouterLink>
          <a :href="`/api/v1/runs/${run.data.id}/export`" :download="`rule-${rule}-records.csv`">Export</a>
        </p>
      </template>
      <ul v-if="hits.data?.length">
        <li v-for="h in hits.data.slice(0, most)" :key="h.number" :class="h.what">
          <RouterLink :to="recordPlace(h.kind, h.number)">{{ h.number }}</RouterLink> {{ h.title }}
          <span class="quiet">{{ h.company }} {{ h.type }}<template v-if="h.posted">, posted</template></span
          ><br />
          <b>{{ words[h.what] }}</b>: {{ h.told }}
        </li>
      </ul>
      <p v-if="hits.more" class="quiet">These matter most; the run has all.</p>
    </template>
  </section>
</template>

<style scoped>
.impact {
  margin: 12px 0 0;
}
h3 {
  font: italic 14px/1.4 var(--serif);
  margin: 0 0 4px;
}
p {
  margin: 0 0 6px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
}
.ask {
  padding-left: 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 260px;
  overflow: auto;
}
li {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
.refuse b {
  color: var(--refused);
}
</style>
