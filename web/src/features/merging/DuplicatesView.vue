<script setup lang="ts">
import { recordPlace } from "@/api/address";
import RunProgress from "@/ui/RunProgress.vue";
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import DefinitionForm from "@/features/merging/DefinitionForm.vue";
import ExactGroups from "@/features/merging/ExactGroups.vue";
import NearPairs from "@/features/merging/NearPairs.vue";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import MoreRows from "@/ui/MoreRows.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import {
  define,
  removeDefinition,
  scan,
  takeDifferentBack,
  useDifferent,
  useDuplicates,
  type DuplicateBy,
  type DuplicateDefinition,
} from "@/queries/duplicates";
import { count, inSentence, moment } from "@/queries/format";
import { stopRun, useRun, works } from "@/queries/runs";
import { useGoOn } from "@/ui/goOn";

/** Records that are twice: by what they are compared, what a scan of all of them found, and what becomes of it. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const going = useGoOn();
const kind = computed(() => String(route.params.kind));
const entry = computed(() => catalog.entry(kind.value));
const duplicates = useDuplicates(() => kind.value);

/** The address says which scan is open, and which part of it. */
const id = computed(() => Number(route.query.scan) || undefined);
const part = computed(() => String(route.query.show ?? ""));
const run = useRun(() => id.value);
watch(
  () => run.data && !works(run.data),
  (ended) => ended && void duplicates.reload(),
);
const of = (what: string) => run.data?.counts?.[what] ?? 0;
const shown = computed(() => part.value || (of("exact") || !of("near") ? "exact" : "near"));
function show(next: Record<string, string | undefined>) {
  void router.replace({ query: { ...route.query, ...next } });
}
async function look(d: DuplicateDefinition) {
  const goOn = going();
  await tried.attempt(async () => {
    const begun = await scan(kind.value, d.name, d.by);
    await goOn({ query: { scan: String(begun.id) }, replace: true });
  });
}

const adding = ref(false);
async function add(name: string, by: DuplicateBy) {
  await tried.attempt(async () => {
    await define(kind.value, name, by);
    adding.value = false;
    await look({ name, by, labels: [] });
  });
}
const differences = useDifferent(() => (part.value === "different" ? kind.value : undefined));

const compared = (d: DuplicateDefinition) =>
  d.labels.map((label, i) => (i === 0 && d.by.near ? `${label} similar` : label)).join(", ") +
  (d.by.everywhere ? ", over all companies" : ", within a company");
/** While one scan is looked at, the other comparisons are out of the way. */
const unfolded = ref(false);
const definitions = computed(() => duplicates.data?.definitions ?? []);
const folded = computed(
  () => !unfolded.value && definitions.value.some((d) => d.run && d.run.id === id.value),
);
const list = useList<DuplicateDefinition>(
  () => (folded.value ? definitions.value.filter((d) => d.run?.id === id.value) : definitions.value),
  () => [
    { label: "Duplicates by", value: (d) => d.name },
    { label: "Compared", value: compared },
    { label: "Exact", right: true, value: (d) => d.run?.counts?.exact ?? "" },
    { label: "Similar", right: true, value: (d) => d.run?.counts?.near ?? "" },
    { label: "Looked for", value: (d) => d.run?.startedAt ?? "" },
  ],
);
</script>

<template>
  <div v-if="entry" class="page">
    <div class="page-head">
      <h1 class="of">
        Duplicates among
        <SentencePicker
          :value="kind"
          label="Records"
          :options="catalog.kinds.map((k) => ({ value: k.kind.key, label: inSentence(k.kind.plural) }))"
          @change="router.push(`/duplicates/${$event}`)"
        />
      </h1>
      <span v-if="duplicates.data" class="quiet">{{ count(duplicates.data.records) }} are saved</span>
      <span class="spring" />
      <ListExport v-if="duplicates.data?.definitions.length" name="Duplicates" :list="list" />
      <button v-if="!adding" type="button" class="button" @click="adding = true">Compare other fields</button>
      <RouterLink class="button" :to="`/records/${kind}`">Back to the list</RouterLink>
    </div>
    <TroubleNote :problem="duplicates.problem" :retry="duplicates.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <DefinitionForm v-if="adding" :kind="kind" :busy="tried.busy" @save="add" @close="adding = false" />
    <p v-if="duplicates.data && !duplicates.data.definitions.length && !adding" class="empty">
      No rule of {{ inSentence(entry.kind.plural) }} says what must not be twice.
      <button type="button" class="plain" @click="adding = true">Choose the fields to compare</button>.
    </p>
    <table v-else-if="duplicates.data?.definitions.length" class="ledger">
      <ListHead :list="list"
        ><th><span class="visually-hidden">Look</span></th></ListHead
      >
      <tbody>
        <tr v-for="d in list.rows" :key="`${d.rule} ${d.name}`" :class="{ open: !!d.run && d.run.id === id }">
          <td>
            <button
              v-if="d.run && !works(d.run)"
              type="button"
              class="plain"
              :aria-expanded="d.run.id === id"
              @click="show({ scan: String(d.run.id), show: undefined })"
            >
              {{ d.name }}
            </button>
            <template v-else>{{ d.name }}</template>
            <RouterLink v-if="d.rule" class="quiet rule" :to="`/plan?rule=${d.rule}`"
              >rule {{ d.rule }}</RouterLink
            >
          </td>
          <td class="quiet">{{ compared(d) }}</td>
          <td class="right">{{ d.run ? count(d.run.counts?.exact ?? 0) : "" }}</td>
          <td class="right">{{ d.run && d.by.near ? count(d.run.counts?.near ?? 0) : "" }}</td>
          <td class="nowrap quiet">{{ d.run ? moment(d.run.startedAt) : "" }}</td>
          <td class="nowrap right">
            <button
              v-if="!d.rule"
              type="button"
              class="plain"
              :aria-label="`Remove ${d.name}`"
              @click="tried.attempt(() => removeDefinition(kind, d.name))"
            >
              Remove
            </button>
            <button
              type="button"
              class="button"
              :class="{ first: !d.run }"
              :aria-label="`${d.run ? 'Look again' : 'Look now'}: ${d.name}`"
              :disabled="tried.busy || works(d.run)"
              @click="look(d)"
            >
              {{ d.run ? "Look again" : "Look now" }}
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="folded && definitions.length > list.rows.length" class="others">
      <button type="button" class="plain" @click="unfolded = true">
        Other comparisons ({{ count(definitions.length - list.rows.length) }})
      </button>
    </p>
    <p v-if="works(run.data)" role="status">
      <RunProgress :run="run.data!" verb="looked at" />
      <button type="button" class="plain" @click="stopRun(run.data!.id)">Stop</button>
    </p>
    <p v-if="run.data?.problem" class="wrong" role="alert">{{ run.data.problem }}</p>
    <nav
      v-if="run.data || part === 'different' || duplicates.data?.different"
      class="parts"
      aria-label="Found"
    >
      <template v-if="run.data">
        <button
          v-for="p in ['exact', 'near'] as const"
          :key="p"
          type="button"
          class="part"
          :aria-pressed="shown === p"
          @click="show({ show: p })"
        >
          {{ p === "exact" ? "Exactly the same" : "Similar" }} <b>{{ count(of(p)) }}</b>
        </button>
      </template>
      <button
        v-if="duplicates.data?.different || shown === 'different'"
        type="button"
        class="part"
        :aria-pressed="shown === 'different'"
        @click="show({ show: 'different' })"
      >
        Said to be different <b>{{ count(duplicates.data?.different ?? 0) }}</b>
      </button>
      <span v-if="of('left')" class="quiet"
        >{{ count(of("left")) }} names are too like many others to be compared with all.</span
      >
      <span v-if="of('more')" class="quiet">More than are listed; merge these first.</span>
    </nav>
    <ExactGroups v-if="run.data && shown === 'exact' && !works(run.data)" :kind="kind" :scan="run.data" />
    <NearPairs v-else-if="run.data && shown === 'near'" :kind="kind" :scan="run.data" />
    <template v-else-if="shown === 'different'">
      <table v-if="differences.data?.length" class="ledger">
        <thead>
          <tr>
            <th>Record</th>
            <th>Is different from</th>
            <th>Why</th>
            <th>Said by</th>
            <th><span class="visually-hidden">Take back</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in differences.data" :key="`${d.number} ${d.other}`">
            <td>
              <RouterLink :to="recordPlace(kind, d.number)">{{ d.number }}</RouterLink> {{ d.title }}
            </td>
            <td>
              <RouterLink :to="recordPlace(kind, d.other)">{{ d.other }}</RouterLink> {{ d.otherTitle }}
            </td>
            <td>{{ d.why }}</td>
            <td class="quiet">
              {{ d.saidBy }}<template v-if="d.saidAt">, {{ moment(d.saidAt) }}</template>
            </td>
            <td class="right">
              <button
                type="button"
                class="plain"
                :aria-label="`Take back that ${d.number} and ${d.other} are different`"
                @click="tried.attempt(() => takeDifferentBack(kind, d.number, d.other))"
              >
                Take back
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="differences.data" class="empty">Nobody said so of any.</p>
      <MoreRows :pages="differences" what="pairs" order="first" />
    </template>
  </div>
</template>

<style scoped>
.parts {
  display: flex;
  align-items: baseline;
  gap: 16px;
  margin: 16px 0 8px;
  border-bottom: 1px solid var(--rule-strong);
}
.part {
  border: 0;
  background: none;
  padding: 4px 0;
  font: inherit;
  color: var(--ink-soft);
  cursor: pointer;
  border-bottom: 2px solid transparent;
}
.part[aria-pressed="true"] {
  color: var(--ink);
  border-bottom-color: var(--ink);
}
.right {
  text-align: right;
}
td .plain {
  text-align: left;
}
.rule {
  margin-left: 8px;
  white-space: nowrap;
}
.others {
  margin: 4px 0;
}
.wrong {
  color: var(--refused);
}
td {
  vertical-align: top;
}
</style>
