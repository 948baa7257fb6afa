<script setup lang="ts">
import { computed } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import type { Finding } from "@/api/client";
import FindingItem from "@/features/rules/FindingItem.vue";
import ListExport from "@/ui/ListExport.vue";
import RunProgress from "@/ui/RunProgress.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";
import { useCatalog } from "@/queries/catalog";
import { useAttempt } from "@/queries/attempt";
import { lookOverRecords, useDataFindings, useFindings } from "@/queries/findings";
import { count, moment } from "@/queries/format";
import { useDrift } from "@/queries/learned";
import { runStates, stopRun } from "@/queries/runs";

/** What can be said about rules and tables before somebody meets it. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const found = useFindings(() => "");
const data = useDataFindings();
const run = computed(() => data.data?.run);
const looking = computed(() => data.data?.looking);
const tried = useAttempt();
const look = () => tried.attempt(lookOverRecords);
const stop = () => tried.attempt(() => stopRun(looking.value!.id));

const drift = useDrift();
const drifted = computed(() =>
  (drift.data ?? [])
    .filter((l) => !kind.value || l.kind === kind.value)
    .flatMap((l) => l.drifted.map((proposal) => ({ kind: l.kind, proposal }))),
);

const kind = computed({
  get: () => String(route.query.kind ?? ""),
  set: (key) => void router.replace({ query: { ...route.query, kind: key || undefined } }),
});
const kinds = computed(() => [
  { value: "", label: "all records and tables" },
  ...(catalog.catalog?.kinds ?? []).map((k) => ({ value: k.kind.key, label: k.kind.plural })),
]);
const all = computed<Finding[]>(() =>
  [...(found.data ?? []), ...(data.data?.findings ?? [])].filter((f) => !kind.value || f.kind === kind.value),
);
const open = computed(() => all.value.filter((f) => !f.silenced));
const silenced = computed(() => all.value.filter((f) => f.silenced));
const list = useList<Finding>(
  () => open.value,
  () => [
    { label: "Sort", value: (f) => f.sort },
    { label: "Code", value: (f) => f.code },
    { label: "Records", value: (f) => catalog.entry(f.kind)?.kind.plural ?? "" },
    { label: "Finding", value: (f) => f.message },
    { label: "Rules", value: (f) => f.rules.map((r) => r.id).join(", ") },
    { label: "Shown by", value: (f) => f.witness?.entered.join("; ") },
    { label: "Because", value: (f) => f.because.join("; ") },
  ],
);
const sorts: { sort: Finding["sort"]; title: string; about: string }[] = [
  { sort: "can happen", title: "Can happen", about: "Each with a document that shows it." },
  { sort: "can never happen", title: "Can never happen", about: "Each with the conditions that exclude it." },
  { sort: "in the tables", title: "In the tables", about: "What ends, or is missing, soon." },
  { sort: "in the data", title: "In the records", about: "What the saved records say about the rules." },
];
const groups = computed(() =>
  sorts
    .map((s) => ({ ...s, list: open.value.filter((f) => f.sort === s.sort) }))
    .filter((s) => s.list.length),
);
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>Findings</h1>
      <SelectBox v-model="kind" class="kind" label="Of which records" :options="kinds" />
      <span class="quiet" role="status">
        <template v-if="found.loading && !found.data">Looking…</template>
        <template v-else
          >{{ open.length }} open<template v-if="silenced.length"
            >, {{ silenced.length }} silenced</template
          ></template
        >
      </span>
      <span class="spring" />
      <ListExport name="Findings" :list="list" />
      <template v-if="looking">
        <RunProgress role="status" :run="looking" verb="records" />
        <button type="button" class="button" :disabled="tried.busy" @click="stop">Stop</button>
      </template>
      <button v-else type="button" class="button" :disabled="tried.busy" @click="look">
        Look over the records
      </button>
    </div>
    <TroubleNote :problem="found.problem" :retry="found.reload" />
    <TroubleNote :problem="data.problem" :retry="data.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="run" class="quiet looked">
      <RouterLink :to="`/runs?run=${run.id}`">Looked over {{ moment(run.startedAt) }}</RouterLink> by
      {{ run.startedBy }}: {{ count(run.done)
      }}<template v-if="run.state !== 'done'"> of {{ count(run.total) }}</template> records,
      {{ count(run.counts?.findings ?? 0) }}
      {{ run.counts?.findings === 1 ? "finding" : "findings"
      }}<template v-if="data.data?.outdated"
        >, {{ count(data.data.outdated) }} of rules that have changed since</template
      ><template v-if="run.state !== 'done'">; {{ runStates[run.state] }}</template
      >. {{ run.problem }}
    </p>
    <p v-if="found.data && !open.length && !found.loading" class="empty">
      Nothing is found<template v-if="data.data && !run && !looking">
        in the rules and tables.
        <button type="button" class="plain" @click="look">Look over the records</button> for codes without a
        row, values that occur nowhere, and rules that no longer act</template
      >.
    </p>
    <section v-if="drifted.length" aria-label="Drifted apart">
      <h2>Drifted apart</h2>
      <p class="quiet">What saved records hold, and what the rules in force would give them today.</p>
      <p v-for="d in drifted" :key="d.proposal.key" class="drift">
        <RouterLink :to="{ path: '/rules/learned', query: { kind: d.kind, field: d.proposal.target } }">{{
          d.proposal.sentence
        }}</RouterLink>
        <span class="quiet">
          {{ count(d.proposal.holds) }} of {{ count(d.proposal.holds + d.proposal.breaks) }} records; of
          {{ d.proposal.asked }} looked at, the rules give {{ d.proposal.agree }} the same.
        </span>
        <template v-for="e in d.proposal.existing.filter((e) => e.state === 'in force')" :key="e.rule">
          {{ " " }}<RouterLink :to="`/plan?rule=${e.rule}`">Rule {{ e.rule }}</RouterLink>
          <span class="quiet">: {{ e.sentence }} </span>
        </template>
      </p>
    </section>
    <section v-for="g in groups" :key="g.sort" :aria-label="g.title">
      <h2>
        {{ g.title }} <span class="count">{{ g.list.length }}</span>
        <span class="quiet about">{{ g.about }}</span>
      </h2>
      <FindingItem v-for="f in g.list" :key="f.key" :finding="f" />
    </section>
    <details v-if="silenced.length" class="aside">
      <summary>Silenced ({{ silenced.length }})</summary>
      <FindingItem v-for="f in silenced" :key="f.key" :finding="f" />
    </details>
  </div>
</template>

<style scoped>
.looked {
  margin-top: 0;
}
.kind {
  width: 210px;
}
.spring {
  flex: 1;
}
section {
  max-width: 980px;
  margin-bottom: 20px;
}
.count {
  font: 13px var(--sans);
  color: var(--ink-soft);
}
.about {
  margin-left: 8px;
  font: 13px var(--sans);
}
.aside {
  max-width: 980px;
}
</style>
