<script setup lang="ts">
import { recordPlace } from "@/api/address";
import RunProgress from "@/ui/RunProgress.vue";
import { computed } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import RunCounts from "@/features/runs/RunCounts.vue";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import MoreRows from "@/ui/MoreRows.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";
import { useAttempt } from "@/queries/attempt";
import { count, moment } from "@/queries/format";
import { outcomes } from "@/queries/loads";
import {
  removeRun,
  runStates,
  runTitle,
  runTitles,
  stopRun,
  takeRunBack,
  useHits,
  useRuns,
  works,
  type Run,
  type RunHit,
} from "@/queries/runs";
import { useGoOn } from "@/ui/goOn";

/** Long work: what goes on and what ended, with what it found. Which one is open stands in the address. */
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const going = useGoOn();
const runs = useRuns();
const open = computed(() => runs.data?.find((r) => r.id === Number(route.query.run)));
const hits = useHits(() => (open.value?.what === "duplicates" ? undefined : open.value), 100);

const list = useList<Run>(
  () => runs.data ?? [],
  () => [
    { label: "Run", right: true, value: (r) => r.id },
    { label: "Work", value: (r) => runTitles[r.what] },
    { label: "About", value: (r) => r.title },
    { label: "State", value: (r) => runStates[r.state] },
    { label: "Done", right: true, value: (r) => r.done },
    { label: "Found", value: found },
    { label: "Started", value: (r) => r.startedAt },
    { label: "By", value: (r) => r.startedBy },
  ],
);
const words: Record<RunHit["what"], string> = {
  refuse: "Refuses",
  confirm: "Asks",
  advise: "Advises",
  change: "Changes",
  ease: "Asks less",
  fail: "Fails",
  weak: "Weak",
  add: "Added",
  same: "Unchanged",
  skip: "Skipped",
  withdrawn: "Withdrawn",
  restored: "Restored",
  stays: "Stays",
  merge: "Merged",
  names: "To change",
  finding: "Found",
  intact: "The trail is whole.",
  unfit: "The trail is not whole:",
};

/** What a run has found, in a few words. */
function found(r: Run): string {
  const of = (what: string) => count(r.counts?.[what] ?? 0);
  if (!r.counts) return "";
  if (r.what === "impact" || r.what === "replay") return `${of("refused")} refused, ${of("changed")} changed`;
  if (r.what !== "export" && r.what !== "proofs")
    return Object.entries(r.counts)
      .map(([what, n]) => `${count(n)} ${(outcomes[what] ?? what).toLowerCase()}`)
      .join(", ");
  if (r.what === "proofs") return `${of("passed")} pass, ${of("failed")} fail`;
  return `${of("records")} records`;
}
/** Where what a hit is about is shown. */
function place(h: RunHit): string {
  if (open.value?.codicil)
    return `/codicils/${open.value.codicil}/replays/${h.kind}/${encodeURIComponent(h.number)}`;
  if (h.number && h.what !== "withdrawn") return recordPlace(h.kind, h.number);
  if (h.proof) return `/proofs?kind=${h.kind}&proof=${h.proof}`;
  return h.rule ? `/plan?rule=${h.rule}` : "";
}
const named = (h: RunHit) => h.number || (h.proof ? `Proof ${h.proof}` : h.rule ? `Rule ${h.rule}` : "");
/** What is found in runs that are about no records, by what stands in the first column. */
const apart: Partial<Record<Run["what"], string>> = {
  proofs: "Proof or rule",
  findings: "Rule",
  trail: "Entry of the trail",
};
const withValues = computed(() => !!open.value && !(open.value.what in apart));

/** A scan is shown with what becomes of the records. */
const scanLink = computed(() =>
  open.value?.kind ? `/duplicates/${open.value.kind}?scan=${open.value.id}` : "",
);
function show(id?: number) {
  void router.replace({ query: id ? { run: String(id) } : {} });
}
async function back(id: number) {
  const goOn = going();
  await tried.attempt(async () =>
    goOn({ query: { run: String((await takeRunBack(id)).id) }, replace: true }),
  );
}
async function remove(id: number) {
  const goOn = going();
  if (await tried.attempt(() => removeRun(id))) await goOn({ query: {}, replace: true });
}
</script>

<template>
  <div class="page runs">
    <div class="page-head">
      <h1>Runs</h1>
      <span class="quiet">Long work. What it finds stays until it is removed; the newest 50 are kept.</span>
      <span class="spring" />
      <ListExport v-if="runs.data?.length" name="Runs" :list="list" />
    </div>
    <TroubleNote :problem="runs.problem" :retry="runs.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="runs.data && !runs.data.length" class="empty">
      Nothing has run yet. What a rule would do to existing records is looked up from its rule:
      <RouterLink to="/rules">choose a rule</RouterLink> and press “Effect on existing records”. All
      <RouterLink to="/proofs">proofs</RouterLink> can be run here too, and long lists are exported here.
    </p>
    <table v-else-if="runs.data" class="ledger">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="r in list.rows" :key="r.id" :class="{ open: r.id === open?.id }">
          <td class="right">{{ r.id }}</td>
          <td>
            <button type="button" class="plain" :aria-expanded="r.id === open?.id" @click="show(r.id)">
              {{ runTitles[r.what] }}
            </button>
          </td>
          <td>{{ r.title }}<span v-if="r.changed" class="quiet"> as it was being changed</span></td>
          <td class="nowrap">
            <RunProgress v-if="r.state === 'running'" :run="r" />
            <template v-else>{{ runStates[r.state] }}</template>
          </td>
          <td class="right">{{ count(r.done) }}</td>
          <td>{{ found(r) }}</td>
          <td class="nowrap quiet">{{ moment(r.startedAt) }}</td>
          <td class="quiet nowrap">{{ r.startedBy }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="runs.data && route.query.run && !open" class="notice" role="status">
      Run {{ route.query.run }} is no longer there.
    </p>
    <section v-if="open" class="found" aria-label="What the run found">
      <div class="page-head">
        <h2>{{ runTitle(open) }}</h2>
        <span class="spring" />
        <RouterLink v-if="open.load" class="button" :to="`/loads/${open.load}`">Open the load</RouterLink>
        <RouterLink v-if="open.what === 'duplicates' && scanLink" class="button" :to="scanLink"
          >Open the duplicates</RouterLink
        >
        <RouterLink v-if="open.what === 'findings'" class="button" to="/findings"
          >Open the findings</RouterLink
        >
        <RouterLink v-if="open.what === 'trail'" class="button" to="/trail">Open the trail</RouterLink>
        <RouterLink v-if="open.rule" class="button" :to="`/plan?rule=${open.rule}`">Open the rule</RouterLink>
        <RouterLink v-if="open.codicil" class="button" :to="`/codicils/${open.codicil}`"
          >Open the codicil</RouterLink
        >
        <a
          v-if="!open.file || open.state === 'done'"
          class="button"
          :href="`/api/v1/runs/${open.id}/export`"
          :download="`run-${open.id}.csv`"
          >{{ open.file ? "Save the file" : "Export" }}</a
        >
        <button
          v-if="open.writes && !works(open)"
          type="button"
          class="button"
          :disabled="tried.busy"
          @click="back(open.id)"
        >
          Take back {{ count(open.writes) }}
        </button>
        <button v-if="works(open)" type="button" class="button" @click="stopRun(open.id)">Stop</button>
        <button v-else type="button" class="button" :disabled="tried.busy" @click="remove(open.id)">
          Remove
        </button>
      </div>
      <RunCounts :run="open" />
      <table v-if="hits.data?.length" class="ledger">
        <thead>
          <tr>
            <th>{{ apart[open.what] ?? "Record" }}</th>
            <th>{{ withValues ? "Effect" : "Result" }}</th>
            <template v-if="withValues">
              <th>Field</th>
              <th>Before</th>
              <th>After</th>
            </template>
          </tr>
        </thead>
        <tbody>
          <template v-for="h in hits.data" :key="`${h.row} ${place(h)}`">
            <tr>
              <td :rowspan="Math.max(1, h.changes.length)">
                <span v-if="h.row" class="quiet">Row {{ h.row }} </span>
                <RouterLink v-if="place(h)" :to="place(h)">{{ named(h) }}</RouterLink><template v-else>{{
                  named(h)
                }}</template>
                {{ h.title }}
                <span class="quiet"
                  >{{ h.company }} {{ h.type }}<template v-if="h.posted">, posted</template></span
                >
              </td>
              <td :rowspan="Math.max(1, h.changes.length)" :class="h.what">
                <b>{{ words[h.what] }}</b><template v-if="h.said">{{ ` ${h.said}` }}</template>
              </td>
              <template v-if="withValues">
                <td>{{ h.changes[0]?.label }}</td>
                <td class="before">{{ h.changes[0] ? h.changes[0].before.text || "blank" : "" }}</td>
                <td>{{ h.changes[0] ? h.changes[0].after.text || "blank" : "" }}</td>
              </template>
            </tr>
            <tr v-for="c in h.changes.slice(1)" :key="`${c.field} ${c.line}`">
              <td>{{ c.label }}</td>
              <td class="before">{{ c.before.text || "blank" }}</td>
              <td>{{ c.after.text || "blank" }}</td>
            </tr>
          </template>
        </tbody>
      </table>
      <MoreRows :pages="hits" :what="withValues ? 'records' : 'results'" order="first" />
    </section>
  </div>
</template>

<style scoped>
.found {
  margin-top: 20px;
}
h2 {
  margin: 0;
  font-size: 18px;
}
.right {
  text-align: right;
}
.unfit b,
.refuse b {
  color: var(--refused);
}
.before {
  color: var(--ink-soft);
}
td {
  vertical-align: top;
}
</style>
