<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import { api, ask, type Schemas } from "@/api/client";
import { keyOf } from "@/api/address";
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { askOnce, change } from "@/queries/client";
import { format } from "@/queries/format";
import type { CodeList } from "@/queries/lists";
import { useSession } from "@/queries/session";
import { allRead } from "@/queries/values";
import { problemAt, useWhileTyping } from "@/queries/whileTyping";
import CellProblem from "@/ui/CellProblem.vue";
import DateInput from "@/ui/DateInput.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import UseList from "@/ui/UseList.vue";

type Entry = Schemas["CodeListEntry"];
type Of = Schemas["CodeListOf"];

const props = defineProps<{ list: string }>();
const emit = defineEmits<{ close: []; saved: [key: string] }>();
const tried = useAttempt();
const catalog = useCatalog();

const draft = ref<CodeList>();
const version = ref(0);
const kept = ref("");
const done = ref("");
const undo = ref<CodeList>();
const adding = computed(() => version.value === 0);
const checked = useWhileTyping(
  () => draft.value,
  (list, signal) => ask(api.POST("/tables/lists/check", { body: list, signal })),
);
const path = () => ({ params: { path: { key: draft.value?.key ?? "" } } });

async function load() {
  if (!props.list) {
    draft.value = { key: "", label: "", note: "", entries: [], views: [] };
    add();
    return;
  }
  await tried.attempt(async () => {
    const params = { path: { key: props.list } };
    take(await askOnce(["tables", "lists", props.list], () => api.GET("/tables/lists/{key}", { params })));
    kept.value = JSON.stringify(draft.value);
  });
}
void load();

function take(view: Schemas["CodeListView"]) {
  draft.value = JSON.parse(JSON.stringify(view.list)) as CodeList;
  checked.answer = view;
  if (view.version) version.value = view.version;
}
const dirty = computed(() => JSON.stringify(draft.value) !== kept.value);
const entries = computed(() => draft.value?.entries ?? []);
const currencies = computed(() => draft.value?.key === "currencies");

// Which company the columns Used and Called are of; "" all companies.
const company = ref("");
const companies = computed(() => [
  { value: "", label: "all companies" },
  ...(catalog.catalog?.companies ?? []).map((c) => ({ value: c.key, label: `${c.key} ${c.name}` })),
]);
function viewOf(at: string): Of | undefined {
  return draft.value?.views?.find((v) => v.company === at);
}
const view = computed(() => viewOf(company.value));
const uses = (e: Entry) => !view.value?.only?.length || view.value.only.includes(e.code);
/** How many entries the chosen company uses. */
const used = computed(() => entries.value.filter(uses).length);
function put(next: Of) {
  const l = draft.value!;
  const others = (l.views ?? []).filter((v) => v.company !== next.company);
  l.views = [...others, next].toSorted((a, b) => a.company.localeCompare(b.company));
}
function use(codes: string[]) {
  const all = entries.value.map((e) => e.code);
  put({ ...view.value, company: company.value, only: codes.length < all.length ? codes : undefined });
}
function toggle(e: Entry) {
  const now = entries.value.filter(uses).map((o) => o.code);
  use(now.includes(e.code) ? now.filter((c) => c !== e.code) : [...now, e.code]);
}
function call(e: Entry, label: string) {
  const labels = { ...view.value?.labels };
  if (label.trim()) labels[e.code] = label.trim();
  else delete labels[e.code];
  put({ ...view.value, company: company.value, labels });
}

// A long list is searched; only some of it is drawn.
const words = ref("");
const onlyUsed = ref(false);
const most = ref(60);
const found = computed(() => {
  const wanted = words.value.trim().toLowerCase();
  return entries.value
    .map((entry, at) => ({ entry, at }))
    .filter(({ entry: e }) => !wanted || `${e.code} ${e.label}`.toLowerCase().includes(wanted))
    .filter(({ entry: e }) => !onlyUsed.value || uses(e));
});
const drawn = computed(() => found.value.slice(0, most.value));

const wrong = (row: number, key: string) => problemAt(checked.answer?.problems, row, key);
const listProblems = computed(() => checked.answer?.problems.filter((p) => p.row < 0) ?? []);
const wrongRows = computed(() => [
  ...new Set((checked.answer?.problems ?? []).filter((p) => p.row >= 0).map((p) => p.row + 1)),
]);

const grid = ref<HTMLElement>();
function add() {
  const l = draft.value!;
  words.value = "";
  (l.entries ??= []).push({ code: "", label: "", from: "", until: "" });
  most.value = Math.max(most.value, l.entries.length);
  void nextTick(() => grid.value?.querySelector<HTMLElement>("tbody tr:last-child input")?.focus());
}

/** What holds an entry that somebody wants to take out. */
const held = ref<{ code: string; uses: Schemas["CodeListUses"] }>();
async function remove(at: number) {
  const l = draft.value!;
  const code = l.entries![at]!.code;
  const before = JSON.parse(kept.value || "{}") as CodeList;
  held.value = undefined;
  if (before.entries?.some((e) => e.code === code)) {
    await tried.attempt(async () => {
      const params = { path: { key: l.key }, query: { code } };
      const uses = await ask(api.GET("/tables/lists/{key}/uses", { params }));
      if (uses.records || uses.uses.length) held.value = { code, uses };
    });
    if (held.value || tried.trouble.problem) return;
  }
  l.entries!.splice(at, 1);
  l.views = (l.views ?? []).map((v) => {
    const labels = { ...v.labels };
    delete labels[code];
    return { ...v, only: v.only?.filter((c) => c !== code), labels };
  });
}

/** Rows that are pasted from a spreadsheet are read by the server; a single value is just typed. */
async function paste(event: ClipboardEvent) {
  const text = event.clipboardData?.getData("text/plain") ?? "";
  if (!/[\t\n]/.test(text.trim())) return;
  event.preventDefault();
  await read(text, false);
}
async function read(text: string, replace: boolean) {
  const before = draft.value!;
  const list = { ...before, entries: entries.value.filter((e) => e.code || e.label) };
  await tried.attempt(async () => {
    const answer = await ask(api.POST("/tables/lists/read", { body: { list, text, replace, format } }));
    const more = (answer.list.entries ?? []).length - (replace ? 0 : list.entries.length);
    done.value = replace
      ? `The file has ${more} entries.`
      : `${more} entries were added; the others replace those of the same code.`;
    undo.value = before;
    most.value = Math.max(most.value, 60);
    take({ ...answer, version: version.value });
  });
}
async function loadFile(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (file) await read(await file.text(), true);
  (event.target as HTMLInputElement).value = "";
}

/** The key follows the name until somebody writes one. */
function rename(label: string) {
  const l = draft.value!;
  if (adding.value && (!l.key || l.key === keyOf(l.label))) l.key = keyOf(label);
  l.label = label;
}
async function save() {
  await allRead();
  const l = { ...draft.value!, entries: entries.value.filter((e) => e.code || e.label) };
  await tried.attempt(async () => {
    take(
      await change(api.PUT("/tables/lists/{key}", { ...path(), body: { list: l, version: version.value } })),
    );
    kept.value = JSON.stringify(draft.value);
    undo.value = undefined;
    done.value = "Saved.";
    emit("saved", l.key);
  });
}
async function removeList() {
  if (await tried.attempt(() => change(api.DELETE("/tables/lists/{key}", path())))) emit("close");
}

const session = useSession();
const mayChange = computed(() => session.may("tables.change") && session.everywhere);
</script>

<template>
  <div class="page-head">
    <h1>
      <button type="button" class="plain" @click="emit('close')">Choice lists</button> {{ draft?.label }}
    </h1>
    <span v-if="draft?.standard" class="quiet">Complete by {{ draft.standard }}</span>
    <span class="spring" />
    <a
      v-if="!adding"
      class="button"
      :href="`/api/v1/tables/lists/${draft?.key}/export`"
      :download="`${draft?.key}.csv`"
      >Save as CSV</a
    >
    <label v-if="mayChange" class="button file"
      >Load a CSV file<input type="file" accept=".csv,.txt,.tsv,text/csv" @change="loadFile"
    /></label>
  </div>
  <TroubleNote v-bind="tried.trouble" />
  <form v-if="draft" aria-label="Choice list" @submit.prevent="save">
    <div class="top">
      <label
        ><span class="field-label">Name</span
        ><input
          class="line"
          :value="draft.label"
          required
          @input="rename(($event.target as HTMLInputElement).value)"
      /></label>
      <label
        ><span class="field-label">Key</span
        ><input v-model.trim="draft.key" class="line mono" :disabled="!adding" required
      /></label>
      <label class="wide"
        ><span class="field-label">Purpose</span><input v-model="draft.note" class="line"
      /></label>
    </div>
    <p v-for="(p, i) in listProblems" :key="i" class="notice">{{ p.message }}</p>
    <div class="tools">
      <span class="sentence"
        >As
        <SelectBox v-model="company" label="Company whose view is shown" :options="companies" in-sentence />
        {{ company ? "sees it" : "see it" }}: {{ used }} of {{ entries.length }} can be chosen</span
      >
      <button
        v-if="mayChange && used < entries.length"
        type="button"
        class="plain"
        @click="use(entries.map((e) => e.code))"
      >
        Use all
      </button>
      <span class="spring" />
      <label class="only"><input v-model="onlyUsed" type="checkbox" /> Only what is used</label>
      <input
        v-model="words"
        class="line find"
        type="search"
        placeholder="Find a code or label"
        aria-label="Find a code or label"
      />
    </div>
    <div v-if="held" class="held" role="alert">
      <p>
        {{ held.code }} is held by
        {{ held.uses.records === 1 ? "1 record" : `${held.uses.records} records` }} and named by
        {{ held.uses.uses.filter((u) => !catalog.entry(u.what)).length }} rules, tables or proofs, so it
        cannot go. Take away its tick, or give it a last day: what holds it keeps it, and nobody chooses it
        anew.
        <button type="button" class="plain" @click="held = undefined">Close</button>
      </p>
      <div class="uses"><UseList :uses="held.uses.uses" /></div>
    </div>

    <div ref="grid" class="rows" @paste="paste">
      <table class="ledger">
        <thead>
          <tr>
            <th>Used</th>
            <th class="code">Code</th>
            <th>Label</th>
            <th v-if="company">Called in {{ company }}</th>
            <th v-if="currencies" class="right">Decimals</th>
            <th>From</th>
            <th>Until</th>
            <th><span class="visually-hidden">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="{ entry: e, at } in drawn" :key="at" :class="{ unused: !uses(e) }">
            <td>
              <input
                type="checkbox"
                :checked="uses(e)"
                :disabled="!mayChange"
                :aria-label="`${e.code || 'The entry'} is used`"
                @change="toggle(e)"
              />
            </td>
            <td>
              <input v-model.trim="e.code" class="line mono" :aria-label="`Code in row ${at + 1}`" />
              <CellProblem :message="wrong(at, 'code')" />
            </td>
            <td><input v-model="e.label" class="line" :aria-label="`Label in row ${at + 1}`" /></td>
            <td v-if="company">
              <input
                class="line"
                :value="view?.labels?.[e.code] ?? ''"
                :placeholder="e.label"
                :aria-label="`What ${company} calls ${e.code}`"
                @change="call(e, ($event.target as HTMLInputElement).value)"
              />
            </td>
            <td v-if="currencies" class="right">
              <input
                v-model.number="e.decimals"
                class="line narrow"
                inputmode="numeric"
                :aria-label="`Decimals of ${e.code}`"
              />
              <CellProblem :message="wrong(at, 'decimals')" />
            </td>
            <td>
              <DateInput v-model="e.from" :label="`First day of ${e.code}`" />
              <CellProblem :message="wrong(at, 'from')" />
            </td>
            <td>
              <DateInput v-model="e.until" :label="`Last day of ${e.code}`" />
              <CellProblem :message="wrong(at, 'until')" />
            </td>
            <td>
              <button
                v-if="mayChange"
                type="button"
                class="plain"
                tabindex="-1"
                :aria-label="`Remove ${e.code || `row ${at + 1}`}`"
                @click="remove(at)"
              >
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="drawn.length < found.length" class="more">
        {{ drawn.length }} of {{ found.length }} entries are shown.
        <button type="button" class="plain" @click="most = found.length">Show all</button>
      </p>
      <p v-if="entries.length && !found.length" class="quiet">No entry has these words.</p>
    </div>
    <p v-if="wrongRows.length" class="notice">
      To correct: {{ wrongRows.length === 1 ? "row" : "rows" }} {{ wrongRows.slice(0, 12).join(", ") }}.
    </p>
    <div v-if="mayChange" class="buttons">
      <button type="button" class="button" @click="add">Add an entry</button>
      <button type="submit" class="button first" :disabled="tried.busy || !dirty">Save</button>
      <button
        v-if="undo"
        type="button"
        class="button"
        @click="((draft = undo), (undo = undefined), (done = ''))"
      >
        Discard the loaded rows
      </button>
      <button v-if="!adding" type="button" class="button" :disabled="tried.busy" @click="removeList">
        Delete
      </button>
      <span v-if="done" class="quiet" role="status">{{ done }}</span>
      <span v-else class="quiet">Rows copied from a spreadsheet can be pasted into any cell.</span>
    </div>
    <ThingHistory
      v-if="!adding"
      what="list"
      :of="props.list"
      :rows="entries.map((e) => ({ label: `${e.code} ${e.label}`, keys: [e.code] }))"
    />
  </form>
</template>

<style scoped>
.top {
  display: grid;
  grid-template-columns: 220px 160px 1fr;
  gap: 10px;
  max-width: 860px;
  margin-bottom: 8px;
}
.tools {
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 8px 0;
}
.sentence {
  font: 17px/28px var(--serif);
}
.find {
  width: 220px;
}
.only {
  white-space: nowrap;
}
.rows {
  max-height: 52vh;
  overflow: auto;
  border-top: 1px solid var(--rule);
}
.rows td {
  padding: 2px 6px 2px 0;
}
.rows .code {
  width: 130px;
}
.rows td :deep(.date-input) {
  width: 120px;
}
.rows td input[type="checkbox"] {
  margin-top: 8px;
}
.unused input.line {
  color: var(--ink-soft);
}
.narrow {
  width: 46px;
  text-align: right;
}
.right {
  text-align: right;
}
.uses {
  max-height: 150px;
  overflow: auto;
}
.held {
  border-left: 2px solid var(--refused);
  padding-left: 10px;
  max-width: 860px;
}
.notice {
  color: var(--default);
}
.buttons {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 10px 0;
}
.file input {
  display: none;
}
a.button {
  text-decoration: none;
}
</style>
