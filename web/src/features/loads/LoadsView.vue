<script setup lang="ts">
import FileButton from "@/ui/FileButton.vue";
import { computed, ref } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { count, moment } from "@/queries/format";
import { bring, outcomes, useLoads, type Load } from "@/queries/loads";
import { runStates, runTitles } from "@/queries/runs";
import { useGoOn } from "@/ui/goOn";

/** Files of records: brought by choosing, dropping or pasting, and those that were brought before. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const going = useGoOn();
const loads = useLoads();

const kind = computed({
  get: () => String(route.query.kind ?? "") || (catalog.kind?.kind.key ?? ""),
  set: (next: string) => void router.replace({ query: { kind: next } }),
});
const kinds = computed(() => catalog.kinds.map((k) => ({ value: k.kind.key, label: k.kind.plural })));
const over = ref(false);

async function take(file: Blob, name: string) {
  const goOn = going();
  await tried.attempt(async () => {
    const load = await bring(kind.value, file, name);
    await goOn(`/loads/${load.id}`);
  });
}
function dropped(event: DragEvent) {
  over.value = false;
  const file = event.dataTransfer?.files[0];
  if (file) void take(file, file.name);
}
function pasted(event: ClipboardEvent) {
  const file = event.clipboardData?.files[0];
  const text = event.clipboardData?.getData("text/plain") ?? "";
  if (file) void take(file, file.name);
  else if (text.trim()) void take(new Blob([text]), "Pasted rows.csv");
}

/** What the last run of a load came to, in a few words. */
function last(l: Load): string {
  const run = l.runs[0];
  if (!run) return "Not checked yet";
  const counts = Object.entries(run.counts ?? {}).map(
    ([what, n]) => `${count(n)} ${(outcomes[what] ?? what).toLowerCase()}`,
  );
  return `${runTitles[run.what]}, ${runStates[run.state]}${counts.length ? `: ${counts.join(", ")}` : ""}`;
}
/** How many records it added or changed that are not taken back. */
const loaded = (l: Load) => l.runs.reduce((sum, r) => sum + (r.writes ?? 0), 0);
const list = useList<Load>(
  () => loads.data ?? [],
  () => [
    { label: "File", value: (l) => l.name },
    { label: "Records", value: (l) => catalog.entry(l.kind)?.kind.plural ?? l.kind },
    { label: "Rows", right: true, value: (l) => l.rows },
    { label: "Last run", value: last },
    { label: "Loaded", right: true, value: loaded },
    { label: "Brought", value: (l) => l.at },
    { label: "By", value: (l) => l.by },
  ],
);
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>Loads</h1>
      <span class="quiet">Every row goes through the same rules as by hand, and can be taken back.</span>
      <span class="spring" />
      <ListExport v-if="loads.data?.length" name="Loads" :list="list" />
    </div>
    <section
      class="bring"
      :class="{ over }"
      aria-label="Bring a file"
      tabindex="0"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="dropped"
      @paste="pasted"
    >
      <SelectBox v-model="kind" class="kind" label="Records" :options="kinds" />
      <FileButton
        label="Choose a file"
        accept=".csv,.txt,.tsv,.xlsx,.ndjson,.jsonl,text/csv"
        first
        :disabled="tried.busy"
        @chosen="take($event, $event.name)"
      />
      <span class="quiet"
        >or drop it here, or paste rows from a spreadsheet: CSV, XLSX or NDJSON, the first row naming the
        columns</span
      >
      <span v-if="tried.busy" role="status">Reading…</span>
    </section>
    <TroubleNote v-bind="tried.trouble" />
    <TroubleNote :problem="loads.problem" :retry="loads.reload" />
    <p v-if="loads.data && !loads.data.length" class="empty">
      No file was brought yet. A list exported under <RouterLink to="/records">Records</RouterLink> shows how
      one can look, and can be loaded again.
    </p>
    <table v-else-if="loads.data" class="ledger">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="l in list.rows" :key="l.id">
          <td>
            <RouterLink :to="`/loads/${l.id}`">{{ l.name }}</RouterLink>
          </td>
          <td>{{ catalog.entry(l.kind)?.kind.plural }}</td>
          <td class="right">{{ count(l.rows) }}</td>
          <td>{{ last(l) }}</td>
          <td class="right">{{ count(loaded(l)) }}</td>
          <td class="nowrap quiet">{{ moment(l.at) }}</td>
          <td class="quiet">{{ l.by }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.bring {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 16px;
  margin: 4px 0 16px;
  border: 1px dashed var(--line-strong, var(--ink-soft));
}
.bring.over {
  background: var(--wash, transparent);
  border-style: solid;
}
.kind {
  flex: 0 0 200px;
}
.right {
  text-align: right;
}
</style>
