<script setup lang="ts">
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import { computed, nextTick, ref } from "vue";
import { RouterLink } from "vue-router";
import { api, ask, type Crosswalk, type CrosswalkView, type Field, type Schemas } from "@/api/client";
import CellProblem from "@/ui/CellProblem.vue";
import ColumnEditor from "@/features/tables/ColumnEditor.vue";
import { useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";
import UseList from "@/ui/UseList.vue";
import ValueCell from "@/features/tables/ValueCell.vue";
import { useAttempt } from "@/queries/attempt";
import { allRead } from "@/queries/values";
import { askOnce, change, useAsked } from "@/queries/client";
import DateInput from "@/ui/DateInput.vue";
import { problemAt, useWhileTyping } from "@/queries/whileTyping";
import { format } from "@/queries/format";

const props = defineProps<{ crosswalk: string }>();
const emit = defineEmits<{ close: []; saved: [key: string] }>();
const tried = useAttempt();

const draft = ref<Crosswalk>();
const version = ref(0);
const checked = useWhileTyping(
  () => draft.value,
  (crosswalk, signal) => ask(api.POST("/tables/crosswalks/check", { body: crosswalk, signal })),
);
const kept = ref("");
const done = ref("");
const columnsOpen = ref(false);
const adding = computed(() => version.value === 0);
const path = () => ({ params: { path: { key: draft.value?.key ?? "" } } });
/** Codes in saved records that have no row. */
const missing = useAsked(
  () => (adding.value ? undefined : ["tables", "crosswalks", draft.value?.key, "missing"]),
  (signal) => api.GET("/tables/crosswalks/{key}/missing", { ...path(), signal }),
);

const column = (key: string, label: string): Field => ({ key, label, section: "", type: "text" });
async function load() {
  if (!props.crosswalk) {
    draft.value = {
      key: "",
      label: "",
      note: "",
      keys: [column("code", "Code")],
      results: [column("result", "Result")],
      rows: [],
      default: [],
    };
    columnsOpen.value = true;
    addRow();
    return;
  }
  await tried.attempt(async () => {
    const params = { path: { key: props.crosswalk } };
    const fetch = () => api.GET("/tables/crosswalks/{key}", { params });
    take(await askOnce(["tables", "crosswalks", props.crosswalk], fetch));
    kept.value = JSON.stringify(draft.value);
  });
}
void load();

function take(view: CrosswalkView) {
  draft.value = JSON.parse(JSON.stringify(view.crosswalk)) as Crosswalk;
  checked.answer = view;
  if (view.version) version.value = view.version;
}
const dirty = computed(() => JSON.stringify(draft.value) !== kept.value);

const wrong = (row: number, key: string) => problemAt(checked.answer?.problems, row, key);
const tableProblems = computed(() => checked.answer?.problems.filter((p) => p.row < 0) ?? []);
/** Rows with a problem besides those in sight are told by number. */
const wrongRows = computed(() => [
  ...new Set((checked.answer?.problems ?? []).filter((p) => p.row >= 0).map((p) => p.row + 1)),
]);

function addRow() {
  const c = draft.value!;
  (c.rows ??= []).push({ keys: c.keys.map(() => ""), results: c.results.map(() => ""), from: "", until: "" });
  void nextTick(() => grid.value?.querySelector<HTMLElement>("tbody tr:last-child input")?.focus());
}
const grid = ref<HTMLElement>();
/** Enter and the arrows go up and down as in a spreadsheet. */
function onKey(event: KeyboardEvent) {
  const input = event.target as HTMLInputElement;
  const step = { ArrowDown: 1, Enter: 1, ArrowUp: -1 }[event.key];
  if (!step || input.closest(".date-input")) return;
  event.preventDefault();
  const [row, at] = (input.dataset.at ?? "0:0").split(":").map(Number);
  const next = grid.value?.querySelector<HTMLInputElement>(`[data-at="${row! + step}:${at}"]`);
  if (next) next.focus();
  else if (event.key === "Enter") addRow();
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
  const blank = (r: Schemas["CrosswalkRow"]) => r.keys.every((k) => !k);
  const crosswalk = { ...before, rows: (before.rows ?? []).filter((r) => !blank(r)) };
  await tried.attempt(async () => {
    const view = await ask(
      api.POST("/tables/crosswalks/read", { body: { crosswalk, text, replace, format } }),
    );
    done.value = `${(view.crosswalk.rows ?? []).length - (replace ? 0 : crosswalk.rows.length)} rows were added; the others replace rows of the same codes.`;
    undo.value = before;
    take({ ...view, version: version.value });
  });
}
const undo = ref<Crosswalk>();
async function loadFile(event: Event) {
  const file = (event.target as HTMLInputElement).files?.[0];
  if (file) await read(await file.text(), true);
  (event.target as HTMLInputElement).value = "";
}

function addColumn(of: "keys" | "results") {
  const c = draft.value!;
  c[of].push(column("", ""));
  for (const r of c.rows ?? []) r[of].push("");
}
function removeColumn(of: "keys" | "results", i: number) {
  const c = draft.value!;
  c[of].splice(i, 1);
  for (const r of c.rows ?? []) r[of].splice(i, 1);
}
function setDefault(i: number, value: string) {
  const c = draft.value!;
  const all = c.results.map((_, j) => c.default?.[j] ?? "");
  all[i] = value;
  c.default = all.every((v) => !v) ? [] : all;
}

async function save() {
  await allRead();
  const c = draft.value!;
  const body = { crosswalk: c, version: version.value };
  await tried.attempt(async () => {
    take(await change(api.PUT("/tables/crosswalks/{key}", { ...path(), body })));
    kept.value = JSON.stringify(draft.value);
    undo.value = undefined;
    done.value = "Saved.";
    emit("saved", c.key);
  });
}
async function remove() {
  if (await tried.attempt(() => change(api.DELETE("/tables/crosswalks/{key}", path())))) emit("close");
}

const session = useSession();
const mayChange = computed(() => session.may("tables.change") && session.everywhere);
</script>

<template>
  <div class="page-head">
    <h1><button type="button" class="plain" @click="emit('close')">Crosswalks</button> {{ draft?.label }}</h1>
    <span class="spring" />
    <a
      v-if="!adding"
      class="button"
      :href="`/api/v1/tables/crosswalks/${draft?.key}/export`"
      :download="`${draft?.key}.csv`"
      >Save as CSV</a
    >
    <label v-if="mayChange" class="button file"
      >Load a CSV file<input type="file" accept=".csv,.txt,.tsv,text/csv" @change="loadFile"
    /></label>
  </div>
  <TroubleNote v-bind="tried.trouble" />
  <form v-if="draft" aria-label="Crosswalk" @submit.prevent="save">
    <div class="top">
      <label
        ><span class="field-label">Name</span><input v-model="draft.label" class="line" required
      /></label>
      <label
        ><span class="field-label">Key</span
        ><input v-model.trim="draft.key" class="line mono" :disabled="!adding" required
      /></label>
      <label class="wide"
        ><span class="field-label">Purpose</span><input v-model="draft.note" class="line"
      /></label>
    </div>
    <details :open="columnsOpen" class="columns">
      <summary>
        Columns: {{ draft.keys.map((k) => k.label).join(", ") }} →
        {{ draft.results.map((r) => r.label).join(", ") }}
      </summary>
      <template v-for="of in ['keys', 'results'] as const" :key="of">
        <ColumnEditor
          v-for="(_, i) in draft[of]"
          :key="i"
          v-model="draft[of][i]!"
          :what="of === 'keys' ? 'Looked up' : 'Found'"
        >
          <button type="button" class="plain" :disabled="draft[of].length === 1" @click="removeColumn(of, i)">
            Remove
          </button>
        </ColumnEditor>
        <button type="button" class="plain" @click="addColumn(of)">
          {{ of === "keys" ? "Add a column to look up" : "Add a column to find" }}
        </button>
      </template>
    </details>
    <p v-for="(p, i) in tableProblems" :key="i" class="notice">{{ p.message }}</p>

    <div ref="grid" class="rows" @keydown="onKey" @paste="paste">
      <table class="ledger">
        <thead>
          <tr>
            <th class="number"><span class="visually-hidden">Row</span></th>
            <th v-for="c in draft.keys" :key="c.key" class="key">{{ c.label }}</th>
            <th v-for="c in draft.results" :key="c.key">{{ c.label }}</th>
            <th>From</th>
            <th>Until</th>
            <th><span class="visually-hidden">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(r, i) in draft.rows" :key="i">
            <td class="number quiet">{{ i + 1 }}</td>
            <td v-for="(c, j) in draft.keys" :key="c.key">
              <ValueCell
                v-model="r.keys[j]!"
                :field="c"
                :data-at="`${i}:${j}`"
                :aria-label="`${c.label} in row ${i + 1}`"
              />
              <CellProblem :message="wrong(i, c.key)" />
            </td>
            <td v-for="(c, j) in draft.results" :key="c.key">
              <ValueCell
                v-model="r.results[j]!"
                :field="c"
                :data-at="`${i}:${draft.keys.length + j}`"
                :aria-label="`${c.label} in row ${i + 1}`"
              />
              <CellProblem :message="wrong(i, c.key)" />
            </td>
            <td>
              <DateInput v-model="r.from" :label="`First day of row ${i + 1}`" />
              <CellProblem :message="wrong(i, 'from')" />
            </td>
            <td>
              <DateInput v-model="r.until" :label="`Last day of row ${i + 1}`" />
              <CellProblem :message="wrong(i, 'until')" />
            </td>
            <td>
              <button
                type="button"
                class="plain"
                tabindex="-1"
                :aria-label="`Remove row ${i + 1}`"
                @click="draft.rows!.splice(i, 1)"
              >
                ×
              </button>
            </td>
          </tr>
        </tbody>
        <tfoot>
          <tr>
            <td class="number"></td>
            <td :colspan="draft.keys.length" class="other">every other code</td>
            <td v-for="(c, j) in draft.results" :key="c.key">
              <ValueCell
                :model-value="draft.default?.[j] ?? ''"
                :field="c"
                :aria-label="`${c.label} for every other code`"
                placeholder="refused"
                @update:model-value="setDefault(j, $event)"
              />
            </td>
            <td colspan="3" class="quiet">Blank: a code without a row is an error.</td>
          </tr>
        </tfoot>
      </table>
    </div>
    <p v-if="wrongRows.length" class="notice">
      To correct: {{ wrongRows.length === 1 ? "row" : "rows" }} {{ wrongRows.slice(0, 12).join(", ")
      }}{{ wrongRows.length > 12 ? ` and ${wrongRows.length - 12} more` : "" }}.
    </p>
    <div v-if="mayChange" class="buttons">
      <button type="button" class="button" @click="addRow">Add a row</button>
      <button type="submit" class="button first" :disabled="tried.busy || !dirty">Save</button>
      <button
        v-if="undo"
        type="button"
        class="button"
        @click="((draft = undo), (undo = undefined), (done = ''))"
      >
        Discard the loaded file
      </button>
      <button v-if="!adding" type="button" class="button" :disabled="tried.busy" @click="remove">
        Delete
      </button>
      <span v-if="done" class="quiet" role="status">{{ done }}</span>
      <span v-else class="quiet">Rows copied from a spreadsheet can be pasted into any cell.</span>
    </div>
    <ThingHistory
      v-if="!adding"
      what="crosswalk"
      :of="props.crosswalk"
      :rows="draft.rows?.map((r) => ({ label: r.keys.join(', '), keys: r.keys }))"
    />
  </form>
  <section v-if="missing.data && !adding" class="missing" aria-label="Missing codes">
    <h2>Missing codes</h2>
    <p v-if="!missing.data.length" class="quiet">
      Every code in the saved records that a rule looks up here has a row today.
    </p>
    <table v-else class="ledger">
      <thead>
        <tr>
          <th>Code</th>
          <th>In records</th>
          <th>Looked up by</th>
          <th>Such as</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(m, i) in missing.data" :key="i">
          <td>
            <b>{{ m.codes.join(", ") }}</b>
          </td>
          <td>{{ m.count }}</td>
          <td>
            <RouterLink :to="`/plan?rule=${m.rule}`">rule {{ m.rule }}</RouterLink>
          </td>
          <td><UseList :uses="m.examples" /></td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.top {
  display: grid;
  grid-template-columns: 220px 160px 1fr;
  gap: 10px;
  max-width: 860px;
  margin-bottom: 8px;
}
.columns {
  margin: 6px 0 10px;
}
.columns summary {
  cursor: pointer;
  color: var(--ink-soft);
  margin-bottom: 6px;
}
.rows {
  max-height: 52vh;
  overflow: auto;
  border-top: 1px solid var(--rule);
}
.rows td {
  padding: 2px 6px 2px 0;
}
tfoot td {
  position: sticky;
  bottom: 0;
  background: var(--paper);
  border-top: 1px solid var(--rule-strong);
}
.number {
  width: 30px;
  text-align: right;
}
.rows td.number {
  padding-top: 8px;
}
.key {
  font-weight: 600;
}
.other {
  font: italic 14px/28px var(--serif);
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
.missing {
  margin-top: 18px;
}
.missing h2 {
  margin-bottom: 6px;
}
</style>
