<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import type { Schemas } from "@/api/client";
import ReplayEffects from "@/features/codicils/ReplayEffects.vue";
import RunCounts from "@/features/runs/RunCounts.vue";
import { useAttempt } from "@/queries/attempt";
import { startReplay } from "@/queries/codicils";
import { stopRun, useHits, useRun, works, type RunHit } from "@/queries/runs";
import DateInput from "@/ui/DateInput.vue";
import MoreRows from "@/ui/MoreRows.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** What a codicil would do to what exists: counted, and one by one. */
const props = defineProps<{ codicil: number; replay?: Schemas["Replay"] }>();
const emit = defineEmits<{ done: [] }>();
const tried = useAttempt();
const since = ref("");
const until = ref("");
const begun = ref<number>();
const id = computed(() => begun.value ?? props.replay?.run);
watch(
  () => props.codicil,
  () => (begun.value = undefined),
);
const run = useRun(() => id.value);
const hits = useHits(() => run.data, 50);
async function start() {
  await tried.attempt(
    async () => (begun.value = (await startReplay(props.codicil, since.value, until.value)).id),
  );
}
// Its figures come with the check.
watch(
  () => run.data?.id === begun.value && !works(run.data) && begun.value,
  (ended) => ended && emit("done"),
);
/** The figures are of the run that is shown. */
const figures = computed(() => (props.replay?.run === id.value ? props.replay : undefined));
const words: Partial<Record<RunHit["what"], string>> = {
  refuse: "Refused",
  confirm: "Asks a reason",
  advise: "Advises",
  ease: "Asks less",
  change: "Different values",
};
</script>

<template>
  <section class="replay" aria-label="Existing records">
    <h2>Existing records</h2>
    <p class="quiet">
      Saved records as they stand and posted documents as they were entered are taken through the rules with
      it and without: with the records that were read then, on the day and for the person of then.
    </p>
    <div class="ask">
      <span>Posted from</span> <DateInput v-model="since" label="Posted from" /> <span>until</span>
      <DateInput v-model="until" label="Posted until" />
      <button type="button" class="button" :disabled="tried.busy || works(run.data)" @click="start">
        {{ id ? "Replay again" : "Replay" }}
      </button>
      <span class="quiet">{{ since || until ? "" : "Left open: everything that was ever posted." }}</span>
    </div>
    <TroubleNote v-bind="tried.trouble" />
    <template v-if="run.data">
      <p v-if="figures?.stale" class="stale" role="status">
        This was before the last change of it, or of what is in force. Replay it again.
      </p>
      <RunCounts :run="run.data" />
      <p class="ways">
        <button v-if="works(run.data)" type="button" class="plain" @click="stopRun(run.data.id)">Stop</button>
        <a :href="`/api/v1/runs/${run.data.id}/export`" :download="`codicil-${codicil}-replay.csv`">Export</a>
      </p>
      <ReplayEffects v-if="figures" :replay="figures" />
      <table v-if="hits.data?.length" class="ledger" aria-label="One by one">
        <thead>
          <tr>
            <th>Record</th>
            <th>With it</th>
            <th>What changes</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="h in hits.data" :key="`${h.kind} ${h.number}`">
            <td>
              <RouterLink :to="`/codicils/${codicil}/replays/${h.kind}/${encodeURIComponent(h.number)}`">{{
                h.number
              }}</RouterLink>
              {{ h.title }}
              <span class="quiet"
                >{{ h.company }} {{ h.type }}<template v-if="h.posted">, posted</template
                ><template v-if="h.drifted">, differs already</template
                ><template v-if="h.unknown">, facts of then unknown</template></span
              >
            </td>
            <td class="nowrap" :class="{ wrong: h.what === 'refuse' }">
              <b>{{ words[h.what] ?? h.what }}</b>
            </td>
            <td>{{ h.told }}</td>
          </tr>
        </tbody>
      </table>
      <MoreRows :pages="hits" what="records" order="first" />
    </template>
  </section>
</template>

<style scoped>
.ask {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin: 8px 0;
}
.right {
  text-align: right;
}
.wrong,
.stale {
  color: var(--refused);
}
.ways {
  display: flex;
  gap: 12px;
}
p {
  margin: 4px 0;
  max-width: 860px;
}
table {
  margin: 8px 0 12px;
}
td {
  vertical-align: top;
}
</style>
