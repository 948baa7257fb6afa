<script setup lang="ts">
import { computed, nextTick, reactive, ref, watch } from "vue";
import type { Family, Field, Message, PlanRule } from "@/api/client";
import AfterPosting from "@/features/plan/AfterPosting.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import LinePicker from "@/features/plan/LinePicker.vue";
import PlanRow from "@/features/plan/PlanRow.vue";
import { families } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";

const props = defineProps<{
  find: string;
  show: "all" | "ruled" | "own" | "differ";
  /** The rules of the plan beside this one, by field and station, where they differ. */
  differences: Map<string, Map<string, PlanRule[]>>;
  /** The company and type of the plan beside this one. */
  beside?: { company: string; type: string };
}>();
const catalog = useCatalog();
const plan = usePlan();
const grid = ref<HTMLElement>();

/** What follows after posting belongs to no field of the document, and stands below them. */
const stations = computed<Family[]>(() =>
  ((catalog.kind?.families ?? []) as Family[]).filter((f) => f !== "follow-up"),
);
/** The columns in the order in which the engine runs them; results stand before the checks on them. */
const columns = computed(() => [
  "field",
  "entered",
  ...stations.value.filter((f) => f !== "validate"),
  "result",
  "validate",
]);

const rulesOf = computed(() => new Map(plan.plan?.fields.map((f) => [f.key, f.stations]) ?? []));
function outcomeOf(key: string) {
  return plan.fields.get(plan.at(key));
}
/** What is said about each field; a field of which the same is said keeps what it had. */
const messagesOf = computed<Map<string, Message[]>>((before) => {
  const map = new Map<string, Message[]>();
  for (const m of plan.outcome?.messages ?? []) {
    if (m.line && m.line !== plan.line) continue; // it is about another line
    map.set(m.field, [...(map.get(m.field) ?? []), m]);
  }
  for (const [key, messages] of map) {
    const old = before?.get(key);
    if (old && JSON.stringify(old) === JSON.stringify(messages)) map.set(key, old);
  }
  return map;
});

function isShown(key: string): boolean {
  const rules = Object.values(rulesOf.value.get(key) ?? {}).flat();
  switch (props.show) {
    case "ruled":
      return rules.length > 0;
    case "own":
      return rules.some((r) => r.width < 3);
    case "differ":
      return props.differences.has(key);
  }
  return true;
}
const labels = computed(() => new Map(plan.plan?.fields.map((f) => [f.key, f.label]) ?? []));
const sections = computed(() => {
  const wanted = props.find.toLowerCase();
  const fields = (catalog.kind?.kind.fields ?? []).map((f) => {
    const label = labels.value.get(f.key);
    return label && label !== f.label ? { ...f, label } : f;
  });
  return (catalog.kind?.kind.sections ?? [])
    .map((section) => ({
      ...section,
      fields: fields.filter(
        (f) =>
          f.section === section.key &&
          (!wanted || f.label.toLowerCase().includes(wanted) || f.key.includes(wanted)) &&
          isShown(f.key),
      ),
    }))
    .filter((section) => section.fields.length);
});
const rows = computed<Field[]>(() => sections.value.flatMap((s) => s.fields));

const at = reactive({ row: 0, column: 1 });
const editing = ref("");
/** The value is being typed over rather than edited. */
const replacing = ref(false);

function focusCell() {
  void nextTick(() => {
    const cell = grid.value?.querySelector<HTMLElement>(`[data-at="${at.row}:${at.column}"]`);
    cell?.focus();
    cell?.scrollIntoView({ block: "nearest" });
  });
}

function moveTo(row: number, column: number) {
  at.row = Math.max(0, Math.min(row, rows.value.length - 1));
  at.column = Math.max(1, Math.min(column, columns.value.length - 1));
  focusCell();
}

function edit(row: number, replace = false) {
  const field = rows.value[row];
  if (!field) return;
  at.row = row;
  at.column = 1;
  replacing.value = replace;
  editing.value = field.key;
}

function open(row: number, column: number) {
  at.row = row;
  at.column = column;
  const field = rows.value[row];
  const name = columns.value[column];
  if (!field || !name) return;
  if (name === "entered") return edit(row);
  const family = name === "result" || name === "field" ? bestStation(field.key) : (name as Family);
  plan.selected = { field: field.key, family };
}

/** The station that made the value, or the first with a rule. */
function bestStation(key: string): Family {
  const made = outcomeOf(key)?.made as Family;
  if (stations.value.includes(made)) return made;
  return stations.value.find((s) => rulesOf.value.get(key)?.[s]?.length) ?? "default";
}

async function commit(field: Field, text: string, move: number) {
  if (editing.value !== field.key) return;
  editing.value = "";
  if (text !== plan.textOf(plan.at(field.key))) void plan.enter(plan.at(field.key), text);
  if (move !== 0) moveTo(at.row + move, 1);
}

const cells = new Map<string, { commit: (move: number) => void }>();
function remember(field: Field, cell: unknown) {
  if (cell) cells.set(field.key, cell as { commit: (move: number) => void });
  else cells.delete(field.key);
}

/** Takes the value that is being typed, if one is. */
function takeEntry() {
  if (editing.value) cells.get(editing.value)?.commit(0);
}

function cancel() {
  editing.value = "";
  focusCell();
}

function onKey(event: KeyboardEvent) {
  if (editing.value || event.altKey) return;
  const steps: Record<string, [number, number]> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
  };
  const step = steps[event.key];
  if (step) {
    event.preventDefault();
    moveTo(at.row + step[0], at.column + step[1]);
  } else if (event.key === "Home" || event.key === "End") {
    event.preventDefault();
    moveTo(event.key === "Home" ? 0 : rows.value.length - 1, at.column);
  } else if (event.key === "Enter" && !event.ctrlKey && !event.metaKey) {
    event.preventDefault();
    open(at.row, at.column);
  } else if ((event.key === "Delete" || event.key === "Backspace") && at.column === 1) {
    const field = rows.value[at.row];
    if (field) void plan.enter(plan.at(field.key), "");
  } else if (event.key === "F2") {
    edit(at.row);
  } else if (
    event.key.length === 1 &&
    !event.ctrlKey &&
    !event.metaKey &&
    at.column === 1 &&
    event.key !== "/" &&
    event.key !== "?"
  ) {
    // The cursor is in the input before the letter arrives, so it is not lost.
    edit(at.row, true);
  }
}

/** Rows that were copied from a spreadsheet are read as the test document; one value goes into its cell. */
function onPaste(event: ClipboardEvent) {
  const text = event.clipboardData?.getData("text/plain") ?? "";
  const field = rows.value[at.row];
  const several = /[\t\n]/.test(text.trim());
  if (!field || !text.trim() || (editing.value && !several) || (!several && at.column !== 1)) return;
  event.preventDefault();
  editing.value = "";
  void (several ? plan.paste(text, field.key) : plan.enter(plan.at(field.key), text.trim()));
  focusCell();
}

/** Puts the cursor on a field's entered value, and the field in sight. */
function editField(key: string, line?: number) {
  if (line) plan.line = line;
  const row = rows.value.findIndex((f) => f.key === key);
  if (row < 0) return;
  edit(row);
  void nextTick(() =>
    grid.value?.querySelector(`[data-at="${row}:1"]`)?.scrollIntoView({ block: "nearest" }),
  );
}

watch(
  () => plan.selected?.field,
  (key) => {
    const row = rows.value.findIndex((f) => f.key === key);
    if (row < 0) return;
    void nextTick(() =>
      grid.value?.querySelector(`[data-at="${row}:2"]`)?.scrollIntoView({ block: "nearest" }),
    );
  },
);

defineExpose({ editField, focusCell, takeEntry });

function rowIndex(field: Field): number {
  return rows.value.indexOf(field);
}
</script>

<template>
  <div>
    <div
      ref="grid"
      class="grid"
      role="grid"
      aria-label="The plan"
      :aria-rowcount="rows.length"
      :style="{ '--stations': stations.length }"
      @keydown="onKey"
      @paste="onPaste"
    >
      <div class="row head" role="row">
        <div v-for="name in columns" :key="name" class="cell" :class="`column-${name}`" role="columnheader">
          <template v-if="name in families">
            <FamilyGlyph :family="name as Family" /> {{ families[name as Family].label }}
          </template>
          <template v-else>{{ { field: "Field", entered: "Entered", result: "Result" }[name] }}</template>
        </div>
      </div>
      <template v-for="section in sections" :key="section.key">
        <div class="row section" role="row">
          <div class="cell" role="rowheader">
            {{ section.label }}
            <LinePicker v-if="section.key === 'lines'" />
          </div>
        </div>
        <PlanRow
          v-for="field in section.fields"
          :key="field.key"
          :ref="(row) => remember(field, row)"
          :field="field"
          :row="rowIndex(field)"
          :columns="columns"
          :outcome="outcomeOf(field.key)"
          :rules="rulesOf.get(field.key)"
          :messages="messagesOf.get(field.key)"
          :text="plan.textOf(plan.at(field.key))"
          :company="plan.scope.company"
          :active="at.row === rowIndex(field) ? at.column : 0"
          :editing="editing === field.key"
          :replacing="replacing"
          :selected="plan.selected?.field === field.key ? plan.selected.family : undefined"
          :difference="differences.get(field.key)"
          :beside="beside"
          @open="open(rowIndex(field), $event)"
          @focus="((at.row = rowIndex(field)), (at.column = $event))"
          @edit="edit(rowIndex(field))"
          @commit="(text, move) => commit(field, text, move)"
          @cancel="cancel"
        />
      </template>
    </div>
    <AfterPosting v-if="catalog.kind?.families.includes('follow-up') && !find" />
    <p v-if="!rows.length" class="empty">No field fits that. Clear the search to see all of them.</p>
  </div>
</template>

<style scoped>
.grid {
  min-width: 918px;
  padding-bottom: 12px;
}
.grid :deep(.row) {
  display: grid;
  grid-template-columns:
    minmax(132px, 1.1fr) minmax(108px, 1.1fr) minmax(70px, 0.7fr) repeat(4, minmax(92px, 1fr))
    minmax(94px, 1fr) minmax(146px, 1.5fr);
  border-bottom: 1px solid var(--rule);
  min-height: 25px;
}
.grid :deep(.row:not(.head, .section):hover) {
  background: color-mix(in srgb, var(--select) 45%, transparent);
}
.grid :deep(.cell) {
  padding: 0 8px;
  line-height: 24px;
  height: 24px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
  border-left: 1px solid var(--rule);
  min-width: 0;
  scroll-margin-top: 60px;
}
.grid :deep(.cell:first-child) {
  border-left: 0;
  padding-left: 16px;
}
.head {
  position: sticky;
  top: 0;
  z-index: 5;
  background: var(--paper);
  border-bottom: 1px solid var(--rule-strong);
}
.head .cell:not(:first-child) {
  padding: 0 5px;
}
.head .cell {
  color: var(--ink-soft);
  font-weight: 500;
  line-height: 28px;
  height: 28px;
}
.section .cell {
  grid-column: 1 / -1;
  font: 600 13px/25px var(--serif);
  height: 25px;
  padding-top: 1px;
  background: var(--paper-sunk);
}
</style>
