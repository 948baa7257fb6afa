<script setup lang="ts">
import { ref } from "vue";
import { RouterLink } from "vue-router";
import { api, type Crosswalk, type CrosswalkView, type Field, type Schemas } from "@/api/client";
import ColumnEditor from "@/features/tables/ColumnEditor.vue";
import RowsEditor from "@/features/tables/RowsEditor.vue";
import { useRowsEditor } from "@/features/tables/rowsEditor";
import ValueCell from "@/features/tables/ValueCell.vue";
import { useAsked } from "@/queries/client";
import { count, format } from "@/queries/format";
import CellProblem from "@/ui/CellProblem.vue";
import DateInput from "@/ui/DateInput.vue";
import UseList from "@/ui/UseList.vue";

type Row = Schemas["CrosswalkRow"];

const props = defineProps<{ crosswalk: string }>();
const emit = defineEmits<{ close: []; saved: [key: string] }>();

const at = (key: string) => ({ params: { path: { key } } });
const column = (key: string, label: string): Field => ({ key, label, section: "", type: "text" });
const editor = useRowsEditor<Crosswalk, Row, CrosswalkView>({
  key: props.crosswalk,
  name: "crosswalks",
  blank: () => ({
    key: "",
    label: "",
    note: "",
    keys: [column("code", "Code")],
    results: [column("result", "Result")],
    rows: [],
    default: [],
  }),
  thing: (view) => view.crosswalk,
  rows: (c) => c.rows ?? [],
  put: (c, rows) => (c.rows = rows),
  blankRow: (c) => ({ keys: c.keys.map(() => ""), results: c.results.map(() => ""), from: "", until: "" }),
  isBlank: (r) => [...r.keys, ...r.results].every((v) => !v),
  words: (r) => [...r.keys, ...r.results].join(" "),
  get: (key) => api.GET("/tables/crosswalks/{key}", at(key)),
  check: (body, signal) => api.POST("/tables/crosswalks/check", { body, signal }),
  read: (crosswalk, text, replace) =>
    api.POST("/tables/crosswalks/read", { body: { crosswalk, text, replace, format } }),
  save: (key, crosswalk, version) =>
    api.PUT("/tables/crosswalks/{key}", { ...at(key), body: { crosswalk, version } }),
  remove: (key) => api.DELETE("/tables/crosswalks/{key}", at(key)),
  saved: (key) => emit("saved", key),
  closed: () => emit("close"),
});
const columnsOpen = ref(editor.adding);
/** Codes in saved records that have no row. */
const missing = useAsked(
  () => (editor.adding ? undefined : ["tables", "crosswalks", props.crosswalk, "missing"]),
  (signal) => api.GET("/tables/crosswalks/{key}/missing", { ...at(props.crosswalk), signal }),
);

function addColumn(of: "keys" | "results") {
  const c = editor.draft!;
  c[of].push(column("", ""));
  for (const r of c.rows ?? []) r[of].push("");
}
function removeColumn(of: "keys" | "results", i: number) {
  const c = editor.draft!;
  c[of].splice(i, 1);
  for (const r of c.rows ?? []) r[of].splice(i, 1);
}
function setDefault(i: number, value: string) {
  const c = editor.draft!;
  const all = c.results.map((_, j) => c.default?.[j] ?? "");
  all[i] = value;
  c.default = all.every((v) => !v) ? [] : all;
}
</script>

<template>
  <RowsEditor
    :editor="editor"
    title="Crosswalks"
    form="Crosswalk"
    add="Add a row"
    what="crosswalk"
    :found="editor.found.length"
    :history="editor.rows.map((r) => ({ label: r.keys.join(', '), keys: r.keys }))"
  >
    <template v-if="editor.draft" #columns>
      <details :open="columnsOpen" class="columns">
        <summary>
          Columns: {{ editor.draft.keys.map((k) => k.label).join(", ") }} →
          {{ editor.draft.results.map((r) => r.label).join(", ") }}
        </summary>
        <template v-for="of in ['keys', 'results'] as const" :key="of">
          <ColumnEditor
            v-for="(_, i) in editor.draft[of]"
            :key="i"
            v-model="editor.draft[of][i]!"
            :what="of === 'keys' ? 'Looked up' : 'Found'"
          >
            <button
              type="button"
              class="plain"
              :disabled="editor.draft[of].length === 1"
              @click="removeColumn(of, i)"
            >
              Remove
            </button>
          </ColumnEditor>
          <button type="button" class="plain" @click="addColumn(of)">
            {{ of === "keys" ? "Add a column to look up" : "Add a column to find" }}
          </button>
        </template>
      </details>
    </template>
    <template v-if="editor.rows.length > 20" #tools>
      <input
        v-model="editor.words"
        class="line find"
        type="search"
        placeholder="Find a code or result"
        aria-label="Find a code or result"
      />
    </template>
    <table v-if="editor.draft" class="ledger">
      <thead>
        <tr>
          <th class="number"><span class="visually-hidden">Row</span></th>
          <th v-for="c in editor.draft.keys" :key="c.key" class="key">{{ c.label }}</th>
          <th v-for="c in editor.draft.results" :key="c.key">{{ c.label }}</th>
          <th>From</th>
          <th>Until</th>
          <th><span class="visually-hidden">Remove</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ row: r, at: i } in editor.found.slice(0, editor.most)" :key="i">
          <td class="number quiet">{{ i + 1 }}</td>
          <td v-for="(c, j) in editor.draft.keys" :key="c.key">
            <ValueCell v-model="r.keys[j]!" :field="c" :label="`${c.label} in row ${i + 1}`" />
            <CellProblem :message="editor.wrong(i, c.key)" />
          </td>
          <td v-for="(c, j) in editor.draft.results" :key="c.key">
            <ValueCell v-model="r.results[j]!" :field="c" :label="`${c.label} in row ${i + 1}`" />
            <CellProblem :message="editor.wrong(i, c.key)" />
          </td>
          <td>
            <DateInput v-model="r.from" :label="`First day of row ${i + 1}`" />
            <CellProblem :message="editor.wrong(i, 'from')" />
          </td>
          <td>
            <DateInput v-model="r.until" :label="`Last day of row ${i + 1}`" />
            <CellProblem :message="editor.wrong(i, 'until')" />
          </td>
          <td>
            <button
              v-if="editor.mayChange"
              type="button"
              class="plain"
              tabindex="-1"
              :aria-label="`Remove row ${i + 1}`"
              @click="editor.removeAt(i)"
            >
              ×
            </button>
          </td>
        </tr>
      </tbody>
      <tfoot>
        <tr>
          <td class="number"></td>
          <td :colspan="editor.draft.keys.length" class="other">every other code</td>
          <td v-for="(c, j) in editor.draft.results" :key="c.key">
            <ValueCell
              :model-value="editor.draft.default?.[j] ?? ''"
              :field="c"
              :label="`${c.label} for every other code`"
              placeholder="refused"
              @update:model-value="setDefault(j, $event)"
            />
          </td>
          <td colspan="3" class="quiet">Blank: a code without a row is an error.</td>
        </tr>
      </tfoot>
    </table>
    <template #after>
      <section v-if="missing.data && !editor.adding" class="missing" aria-label="Missing codes">
        <h2>Missing codes</h2>
        <p v-if="!missing.data.whole" class="quiet">
          <template v-if="missing.data.codes.length">These and perhaps more: of</template
          ><template v-else>None so far: of</template> the saved records the first
          {{ count(missing.data.looked) }} were looked at. <i>Findings</i> looks at all of them.
        </p>
        <p v-else-if="!missing.data.codes.length" class="quiet">
          Every code in the saved records that a rule looks up here has a row today.
        </p>
        <table v-if="missing.data.codes.length" class="ledger">
          <thead>
            <tr>
              <th>Code</th>
              <th>In records</th>
              <th>Looked up by</th>
              <th>Such as</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(m, i) in missing.data.codes" :key="i">
              <td>
                <b>{{ m.codes.join(", ") }}</b>
              </td>
              <td>{{ count(m.count) }}</td>
              <td>
                <RouterLink :to="`/plan?rule=${m.rule}`">rule {{ m.rule }}</RouterLink>
              </td>
              <td><UseList :uses="m.examples" /></td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
  </RowsEditor>
</template>

<style scoped>
.columns {
  margin: 6px 0 10px;
}
.columns summary {
  cursor: pointer;
  color: var(--ink-soft);
  margin-bottom: 6px;
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
td.number {
  padding-top: 8px;
}
.key {
  font-weight: 600;
}
.other {
  font: italic 14px/28px var(--serif);
}
.missing {
  margin-top: 18px;
}
.missing h2 {
  margin-bottom: 6px;
}
.find {
  width: 220px;
  margin-bottom: 6px;
}
</style>
