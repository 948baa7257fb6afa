<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { api, ask, type Name, type Schemas } from "@/api/client";
import NameSelect from "@/features/rules/NameSelect.vue";
import { writing } from "@/features/rules/writing";
import { format } from "@/queries/format";
import { newestOnly } from "@/queries/whileTyping";

type Cases = Schemas["Cases"];

/** A value by cases, as a grid: the first row that fits gives the value. */
const props = defineProps<{
  kind: string;
  target: string;
  part?: "when" | "value" | "must";
  names: Name[];
  label: string;
  formula: string;
}>();
const emit = defineEmits<{
  write: [formula: string];
}>();

const cases = ref<Cases>({
  columns: [{ subject: "" }],
  rows: [{ tests: [""], value: "" }],
  otherwise: "",
});
const findings = ref<Schemas["CaseFinding"][]>([]);
const problem = ref("");
const copied = ref(false);
let written = "";

const single = computed(() => props.names.filter((n) => n.single));
/** What a column tests that is no field. */
const subjects = ref<string[]>([]);

watch(
  () => [props.formula, { ...format }] as const,
  async ([formula], before) => {
    if (!formula || (formula === written && before)) return;
    const body = { kind: props.kind, target: props.target, formula, format };
    const told = await ask(api.POST("/formulas/tell", { body })).catch(() => undefined);
    if (!told?.shown || formula !== props.formula) return;
    written = formula;
    cases.value = JSON.parse(JSON.stringify(told.shown)) as Cases;
    if (cases.value.otherwise === "nothing") cases.value.otherwise = "";
    subjects.value = told.subjects ?? [];
    findings.value = told.findings;
  },
  { immediate: true },
);

const complete = computed(
  () =>
    cases.value.rows.length > 0 &&
    cases.value.rows.every((r) => r.value.trim() && r.tests.some((t) => t.trim())) &&
    cases.value.columns.every((c, i) => c.subject || cases.value.rows.every((r) => !r.tests[i]?.trim())),
);

const newest = newestOnly();
async function write() {
  problem.value = "";
  if (!complete.value) return;
  const { columns, rows, otherwise } = cases.value;
  const used = columns.map((_, i) => i).filter((i) => columns[i]!.subject || rows.some((r) => r.tests[i]));
  const sent: Cases = {
    columns: used.map((i) => columns[i]!),
    rows: rows.map((r) => ({ value: r.value, tests: used.map((i) => r.tests[i] ?? "") })),
    otherwise: otherwise.trim() || "null",
  };
  const body = { kind: props.kind, target: props.target, part: props.part, cases: sent, typed: true };
  try {
    const answer = await writing(newest((signal) => ask(api.POST("/formulas/cases", { body, signal }))));
    if (!answer) return;
    const wrong = answer.problems.find((p) => p.severity === "error");
    problem.value = wrong?.message ?? "";
    findings.value = answer.findings;
    written = answer.formula;
    emit("write", answer.formula);
  } catch (error) {
    problem.value = (error as Error).message;
  }
}

const grid = useTemplateRef<HTMLElement>("grid");
function focus(row: number, column: number) {
  void nextTick(() => grid.value?.querySelector<HTMLElement>(`[data-cell="${row}:${column}"]`)?.focus());
}
function addRow(at = cases.value.rows.length) {
  cases.value.rows.splice(at, 0, { tests: cases.value.columns.map(() => ""), value: "" });
  focus(at, 0);
}
function removeRow(at: number) {
  cases.value.rows.splice(at, 1);
  if (!cases.value.rows.length) addRow(0);
  void write();
}
function moveRow(at: number, by: number) {
  const to = at + by;
  const rows = cases.value.rows;
  if (to < 0 || to >= rows.length) return;
  rows.splice(to, 0, ...rows.splice(at, 1));
  void write();
}
function addColumn() {
  cases.value.columns.push({ subject: "" });
  for (const row of cases.value.rows) row.tests.push("");
}
function removeColumn(at: number) {
  cases.value.columns.splice(at, 1);
  for (const row of cases.value.rows) row.tests.splice(at, 1);
  subjects.value.splice(at, 1);
  void write();
}

function onKey(event: KeyboardEvent, row: number, column: number) {
  if (event.key === "Enter" && !event.ctrlKey && !event.metaKey) {
    event.preventDefault();
    (event.target as HTMLElement).dispatchEvent(new Event("change", { bubbles: true }));
    if (row + 1 < cases.value.rows.length) focus(row + 1, column);
    else if (row + 1 === cases.value.rows.length) addRow();
  } else if (event.altKey && (event.key === "ArrowUp" || event.key === "ArrowDown")) {
    event.preventDefault();
    const by = event.key === "ArrowUp" ? -1 : 1;
    moveRow(row, by);
    focus(Math.max(0, Math.min(row + by, cases.value.rows.length - 1)), column);
  }
}

/** Rows from a spreadsheet go in from the cell on: a column for each test, then the value. */
function onPaste(event: ClipboardEvent, row: number, column: number) {
  const text = event.clipboardData?.getData("text/plain") ?? "";
  if (!/[\t\n]/.test(text.trim())) return;
  event.preventDefault();
  const lines = text.replace(/\r/g, "").replace(/\n$/, "").split("\n");
  const width = Math.max(...lines.map((l) => l.split("\t").length));
  while (cases.value.columns.length < column + width - 1) addColumn();
  lines.forEach((line, i) => {
    if (row + i >= cases.value.rows.length)
      cases.value.rows.push({ tests: cases.value.columns.map(() => ""), value: "" });
    const target = cases.value.rows[row + i]!;
    line.split("\t").forEach((cell, j) => {
      if (column + j < cases.value.columns.length) target.tests[column + j] = cell.trim();
      else target.value = cell.trim();
    });
  });
  void write();
}
async function copy() {
  const rows = cases.value.rows.map((r) => [...r.tests, r.value].join("\t"));
  await navigator.clipboard.writeText([...rows, ""].join("\n"));
  copied.value = true;
}

function marksOf(row: number) {
  return findings.value.filter((f) => f.row === row || (f.code === "overlap" && f.other === row));
}
function wrongCell(row: number, column: number): string {
  return findings.value.find((f) => f.code === "cell" && f.row === row && f.column === column)?.message ?? "";
}
</script>

<template>
  <div class="cases" role="group" :aria-label="`${label} by cases`">
    <table ref="grid">
      <thead>
        <tr>
          <th v-for="(c, i) in cases.columns" :key="i">
            <NameSelect
              v-if="!c.subject || single.some((n) => n.name === c.subject)"
              :model-value="c.subject"
              :names="single"
              :label="`What column ${i + 1} tests`"
              placeholder="field"
              @update:model-value="((c.subject = $event), write())"
            />
            <span v-else class="subject" :title="c.subject">{{ subjects[i] || c.subject }}</span>
            <button
              v-if="cases.columns.length > 1"
              type="button"
              class="plain drop"
              :aria-label="`Remove column ${i + 1}`"
              @click="removeColumn(i)"
            >
              ×
            </button>
          </th>
          <th class="value">{{ label }}</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="(r, row) in cases.rows" :key="row" :class="marksOf(row).map((f) => f.code)">
          <td v-for="(_, i) in cases.columns" :key="i">
            <input
              v-model="r.tests[i]"
              class="line"
              :data-cell="`${row}:${i}`"
              :aria-label="`Case ${row + 1}, column ${i + 1}`"
              :aria-invalid="!!wrongCell(row, i)"
              :title="wrongCell(row, i)"
              placeholder="any"
              @change="write"
              @keydown="onKey($event, row, i)"
              @paste="onPaste($event, row, i)"
            />
          </td>
          <td>
            <input
              v-model="r.value"
              class="line"
              :data-cell="`${row}:${cases.columns.length}`"
              :aria-label="`Value of case ${row + 1}`"
              placeholder="a value"
              @change="write"
              @keydown="onKey($event, row, cases.columns.length)"
              @paste="onPaste($event, row, cases.columns.length)"
            />
          </td>
          <td>
            <button
              type="button"
              class="plain drop"
              :aria-label="`Remove case ${row + 1}`"
              @click="removeRow(row)"
            >
              ×
            </button>
          </td>
        </tr>
        <tr>
          <td :colspan="cases.columns.length" class="otherwise">otherwise</td>
          <td>
            <input
              v-model="cases.otherwise"
              class="line"
              aria-label="Value otherwise"
              placeholder="nothing"
              @change="write"
            />
          </td>
          <td />
        </tr>
      </tbody>
    </table>
    <button type="button" class="plain" @click="addRow()">Add a case</button>
    <button type="button" class="plain" @click="addColumn">Add a column</button>
    <button type="button" class="plain" @click="copy">{{ copied ? "Copied" : "Copy" }}</button>
    <ul v-if="problem || findings.length" class="found">
      <li v-if="problem" class="wrong" role="alert">{{ problem }}</li>
      <li v-for="(f, i) in findings" :key="i" :class="f.code">{{ f.message }}</li>
    </ul>
    <p v-else-if="!complete" class="quiet" role="status">
      Choose what each column tests, and give each case a test and a value.
    </p>
  </div>
</template>

<style scoped>
.cases {
  width: 100%;
}
table {
  border-collapse: collapse;
  width: 100%;
  table-layout: fixed;
}
th {
  font-weight: 500;
  color: var(--ink-soft);
  text-align: left;
  padding: 0 0 2px;
  position: relative;
}
th:last-child {
  width: 22px;
}
td {
  padding: 0;
  border: 1px solid var(--rule);
}
td:last-child {
  border: 0;
}
td input.line {
  border: 0;
  border-radius: 0;
  background: none;
}
.value,
.subject {
  font-size: 12px;
  overflow-wrap: anywhere;
}
.otherwise {
  font: italic 14px/26px var(--serif);
  padding-left: 6px;
}
tr.overlap td,
tr.unreachable td {
  border-bottom-color: var(--default);
}
tr.unreachable input {
  text-decoration: line-through;
}
[aria-invalid="true"] {
  box-shadow: inset 0 -2px 0 var(--refused);
}
th .drop {
  position: absolute;
  right: 0;
  top: -6px;
}
.found {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  font-size: 12px;
  color: var(--default);
}
.wrong {
  color: var(--refused);
}
.quiet {
  margin: 4px 0 0;
  font-size: 12px;
}
</style>
