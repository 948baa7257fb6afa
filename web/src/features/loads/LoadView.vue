<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute } from "vue-router";
import LoadColumns from "@/features/loads/LoadColumns.vue";
import LoadPreview from "@/features/loads/LoadPreview.vue";
import LoadResult from "@/features/loads/LoadResult.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { count, inSentence } from "@/queries/format";
import {
  checkLoad,
  removeLoad,
  setUp,
  startLoad,
  useLoad,
  usePreview,
  type LoadSetup,
} from "@/queries/loads";
import { stopRun, takeRunBack, works } from "@/queries/runs";
import { useGoOn } from "@/ui/goOn";

/** One file: how its columns become fields, what its first rows become, what a check and a load came to. */
const catalog = useCatalog();
const route = useRoute();
const tried = useAttempt();
const going = useGoOn();
const id = computed(() => Number(route.params.id));
const load = useLoad(() => id.value);
const entry = computed(() => catalog.entry(load.data?.kind ?? ""));

/** The set-up as it is being changed; it is kept at once. */
const setup = ref<LoadSetup>();
watch(
  () => load.data?.id === id.value && load.data.setup,
  (kept) => {
    if (kept && !tried.busy) setup.value = JSON.parse(JSON.stringify(kept)) as LoadSetup;
  },
  { immediate: true },
);
async function change(next: LoadSetup) {
  setup.value = next;
  await tried.attempt(() => setUp(id.value, next));
}
const preview = usePreview(
  () => id.value,
  () => JSON.stringify(load.data?.setup),
);

const run = computed(() => load.data?.runs[0]);
const working = computed(() => (works(run.value) ? run.value : undefined));
/** The newest run that wrote something that is not taken back. */
const wrote = computed(() => load.data?.runs.find((r) => r.writes));
/** What is looked at: the first rows, or the last run. */
const looked = ref<"rows" | "run">("rows");
watch(
  () => run.value?.id,
  (now) => {
    if (now) looked.value = "run";
  },
  { immediate: true },
);

async function begin(what: (id: number) => Promise<unknown>) {
  if (await tried.attempt(() => what(id.value))) looked.value = "run";
}
async function remove() {
  const goOn = going();
  if (await tried.attempt(() => removeLoad(id.value))) await goOn("/loads");
}
const form = computed(() => {
  const l = load.data;
  if (!l) return "";
  if (l.form === "xlsx") return `workbook, sheet ${l.setup.sheet || l.sheets[0]}`;
  if (l.form === "ndjson") return "NDJSON";
  const separators: Record<string, string> = { "\t": "tab", ";": "semicolon", ",": "comma", "|": "bar" };
  return `CSV in ${l.encoding}, separated by ${separators[l.separator] ?? l.separator}`;
});
</script>

<template>
  <div class="page load">
    <TroubleNote :problem="load.problem" :retry="load.reload" />
    <template v-if="load.data && setup && entry">
      <div class="page-head">
        <h1>{{ load.data.name }}</h1>
        <span class="quiet"
          >{{ count(load.data.rows) }} {{ load.data.rows === 1 ? "row" : "rows" }} of
          <RouterLink :to="`/records/${load.data.kind}`">{{ inSentence(entry.kind.plural) }}</RouterLink>,
          {{ form }}</span
        >
        <span class="spring" />
        <RouterLink class="button" to="/loads">All loads</RouterLink>
        <template v-if="working">
          <button type="button" class="button" @click="stopRun(working.id)">Stop</button>
        </template>
        <template v-else>
          <button type="button" class="button" :disabled="tried.busy" @click="remove">Remove</button>
          <button
            v-if="wrote"
            type="button"
            class="button"
            :disabled="tried.busy"
            @click="begin(() => takeRunBack(wrote!.id))"
          >
            Take back {{ count(wrote.writes ?? 0) }}
          </button>
          <button type="button" class="button" :disabled="tried.busy" @click="begin(checkLoad)">
            Check all rows
          </button>
          <button type="button" class="button first" :disabled="tried.busy" @click="begin(startLoad)">
            Load
          </button>
        </template>
      </div>
      <TroubleNote v-bind="tried.trouble" />
      <div class="halves">
        <LoadColumns :load="load.data" :setup="setup" :entry="entry" :locked="!!working" @change="change" />
        <section aria-label="Rows">
          <nav aria-label="What is shown">
            <button type="button" class="plain" :class="{ here: looked === 'rows' }" @click="looked = 'rows'">
              First rows
            </button>
            <button
              v-if="run"
              type="button"
              class="plain"
              :class="{ here: looked === 'run' }"
              @click="looked = 'run'"
            >
              Last run
            </button>
          </nav>
          <template v-if="looked === 'rows' || !run">
            <TroubleNote :problem="preview.problem" :retry="preview.reload" />
            <LoadPreview
              v-if="preview.data"
              :entries="preview.data.entries"
              :load="load.data"
              :entry="entry"
            />
            <p v-else-if="!preview.problem" class="quiet">Reading…</p>
          </template>
          <LoadResult v-else :run="run" :load="load.data" :setup="setup" @change="change" />
        </section>
      </div>
    </template>
  </div>
</template>

<style scoped>
.halves {
  display: grid;
  grid-template-columns: minmax(380px, 440px) minmax(0, 1fr);
  gap: 28px;
  align-items: start;
}
nav {
  display: flex;
  gap: 14px;
  margin-bottom: 8px;
}
nav button {
  color: var(--ink-soft);
  text-decoration: none;
  border-bottom: 2px solid transparent;
}
nav .here {
  color: var(--ink);
  border-bottom-color: var(--ink);
}
</style>
