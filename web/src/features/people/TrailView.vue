<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { refDebounced } from "@vueuse/core";
import { computed, reactive, ref, toRef } from "vue";
import { RouterLink } from "vue-router";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { count, inSentence, moment } from "@/queries/format";
import { trailFile, useTrail, verifyTrail, type TrailEntry } from "@/queries/people";
import { runStates, stopRun, useHits, useRun, works } from "@/queries/runs";
import DateInput from "@/ui/DateInput.vue";
import MoreRows from "@/ui/MoreRows.vue";
import RunProgress from "@/ui/RunProgress.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** What was done, by whom and from where. */
const catalog = useCatalog();
const tried = useAttempt();
const q = reactive({ search: "", person: "", from: "", to: "" });
const search = refDebounced(toRef(q, "search"), 250);
const asked = () => ({ ...q, search: search.value });
const trail = useTrail(asked);
const id = ref<number>();
const run = useRun(() => id.value);
const hits = useHits(() => run.data, 1);
const verified = computed(() => (run.data && !works(run.data) ? hits.data?.[0] : undefined));
const verify = () => tried.attempt(async () => (id.value = (await verifyTrail()).id));
const stop = () => tried.attempt(() => stopRun(id.value!));

const kindName = (e: TrailEntry) => inSentence(catalog.entry(e.kind)?.kind.label) ?? e.kind;
function link(e: TrailEntry): string {
  if (catalog.entry(e.kind)) return recordPlace(e.kind, e.key);
  const at: Record<string, string> = {
    rule: `/plan?rule=${e.key}`,
    proof: `/proofs?proof=${e.key}`,
    run: `/runs?run=${e.key}`,
    posting: `/ledger/${encodeURIComponent(e.key)}`,
    load: `/loads/${e.key}`,
    codicil: `/codicils/${e.key}`,
  };
  return e.what === "removed" ? "" : (at[e.kind] ?? "");
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>Trail</h1>
      <input
        v-model="q.search"
        class="line search"
        type="search"
        aria-label="Find in the trail"
        placeholder="Find"
      />
      <span class="quiet">from</span>
      <DateInput v-model="q.from" label="From" />
      <span class="quiet">to</span>
      <DateInput v-model="q.to" label="To" />
      <button v-if="q.person" type="button" class="plain" @click="q.person = ''">Of everybody</button>
      <span class="spring" />
      <a class="button" :href="trailFile(asked(), 'csv')" download="trail.csv">CSV</a>
      <a class="button" :href="trailFile(asked(), 'ndjson')" download="trail.ndjson">NDJSON</a>
      <template v-if="works(run.data)">
        <RunProgress role="status" :run="run.data!" />
        <button type="button" class="button" :disabled="tried.busy" @click="stop">Stop</button>
      </template>
      <button v-else type="button" class="button" :disabled="tried.busy" @click="verify">Verify</button>
    </div>
    <p v-if="verified?.what === 'intact'" role="status">
      The trail is whole: each of its {{ count(run.data!.done) }} entries carries the hash of the one before.
    </p>
    <TroubleNote v-else-if="verified" :problem="`The trail is not whole: ${verified.said}`" />
    <p v-else-if="run.data && !works(run.data) && run.data.state !== 'done'" role="status" class="quiet">
      {{ runStates[run.data.state] }} after {{ count(run.data.done) }} of {{ count(run.data.total) }} entries
      {{ run.data.problem }}
    </p>
    <TroubleNote :problem="run.problem" />
    <TroubleNote v-bind="tried.trouble" />
    <TroubleNote :problem="trail.problem" :retry="trail.reload" />
    <table v-if="trail.data?.length" class="ledger" aria-label="Entries of the trail">
      <thead>
        <tr>
          <th>When</th>
          <th>Who</th>
          <th>From</th>
          <th>Did</th>
          <th>What</th>
          <th>Company</th>
          <th>Note</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="e in trail.data" :key="e.id" :title="`Entry ${e.id}, ${e.chain?.slice(0, 12)}…`">
          <td class="whole">{{ moment(e.at) }}</td>
          <td>
            <button v-if="e.person" type="button" class="plain" @click="q.person = e.person">
              {{ e.by }}
            </button>
            <span v-else class="quiet">Nobody</span>
          </td>
          <td class="quiet">{{ e.address || e.via }}</td>
          <td>
            {{ e.what }}<template v-if="e.count > 1"> {{ count(e.count) }} times</template>
          </td>
          <td>
            <span class="quiet">{{ kindName(e) }}</span>&nbsp;<RouterLink v-if="link(e)" :to="link(e)">{{
              e.key
            }}</RouterLink>
            <template v-else>{{ e.key }}</template>
          </td>
          <td>{{ e.company }}</td>
          <td>{{ e.note }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="trail.data" class="empty">Nothing fits.</p>
    <MoreRows :pages="trail" what="entries" />
  </div>
</template>

<style scoped>
.search {
  flex: 0 1 220px;
}
.whole {
  white-space: nowrap;
}
</style>
