<script setup lang="ts">
import { useElementSize, useStorage } from "@vueuse/core";
import { computed, nextTick, reactive, ref, watch, provide } from "vue";
import type { Family, Field, Message, PlanField, PlanRule } from "@/api/client";
import AfterPosting from "@/features/plan/AfterPosting.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import { isOpen, proposing, useLearned } from "@/queries/learned";
import FieldHistory from "@/features/plan/FieldHistory.vue";
import LinePicker from "@/features/plan/LinePicker.vue";
import LineResults from "@/features/plan/LineResults.vue";
import PlanRow from "@/features/plan/PlanRow.vue";
import { shareWidth } from "@/features/plan/planColumns";
import { families } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { foundMarks, useFoundMarks } from "@/queries/findings";
import type { Beside } from "@/features/plan/comparison";
import { usePlan } from "@/queries/plan";

const props = defineProps<{
  find: string;
  show: "all" | "ruled" | "own" | "differ";
  /** The rules of the plan beside this one, by field and station, where they differ. */
  differences: Map<string, Map<string, PlanRule[]>>;
  /** The company and type of the plan beside this one. */
  beside?: Beside;
}>();
const catalog = useCatalog();
const plan = usePlan();
provide(
  foundMarks,
  useFoundMarks(() => plan.scope.kind || undefined),
);
const grid = ref<HTMLElement>();

/** What follows after posting belongs to no field of the document, and stands below them. */
const stations = computed<Family[]>(() =>
  ((catalog.kind?.families ?? []) as Family[]).filter((f) => f !== "follow-up"),
);
const rulesOf = computed(
  () => new Map<string, PlanField["stations"]>(plan.plan?.fields.map((f) => [f.key, f.stations]) ?? []),
);
/** Stations at which something happens though no rule of the plan stands there. */
const open = computed(() => {
  const found = new Set<Family>();
  for (const stations of props.differences.values())
    for (const family of stations.keys()) found.add(family as Family);
  for (const field of plan.fields.values()) for (const act of field.acts) found.add(act.family as Family);
  return [...found].sort().join();
});
const scroller = ref<HTMLElement>();
const { width } = useElementSize(scroller);
/** The columns in the order in which the engine runs them; results stand before the checks on them. */
const columns = computed(() =>
  shareWidth(
    width.value || 1240,
    stations.value,
    catalog.kind?.kind.fields ?? [],
    rulesOf.value,
    new Set(open.value.split(",").filter(Boolean) as Family[]),
  ),
);
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
const folds = useStorage<string[]>("codicil-folded", []);
/** A section is folded until something is looked for: what is found is shown. */
function isFolded(section: string): boolean {
  return !props.find && props.show === "all" && folds.value.includes(`${plan.scope.kind}/${section}`);
}
function fold(section: string, on: boolean) {
  const key = `${plan.scope.kind}/${section}`;
  folds.value = on ? [...folds.value, key] : folds.value.filter((k) => k !== key);
}
/** Makes sure that a field is not folded away. */
function unfold(key: string) {
  const section = catalog.field(key)?.section;
  if (section && isFolded(section)) fold(section, false);
}
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
const rows = computed<Field[]>(() => sections.value.flatMap((s) => (isFolded(s.key) ? [] : s.fields)));
function ruledIn(fields: Field[]): number {
  return fields.filter((f) => Object.values(rulesOf.value.get(f.key) ?? {}).flat().length).length;
}

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

function openCell(row: number, column: number) {
  at.row = row;
  at.column = column;
  const field = rows.value[row];
  const name = columns.value[column]?.name;
  if (!field || !name) return;
  if (name === "entered") return edit(row);
  const family = name === "result" || name === "field" ? bestStation(field.key) : name;
  plan.selected = { field: field.key, family };
}

/** Opens a station of the row's field by its letter. */
function openFamily(letter: string): boolean {
  const field = rows.value[at.row];
  const family = stations.value.find((f) => families[f].letter === letter);
  if (!field || !family) return false;
  plan.selected = { field: field.key, family };
  return true;
}

/** The field whose history of rules is shown below it. */
const history = ref("");
function toggleHistory(key: string) {
  history.value = history.value === key ? "" : key;
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
    openCell(at.row, at.column);
  } else if (at.column !== 1 && !event.ctrlKey && !event.metaKey && event.key.toLowerCase() === "h") {
    event.preventDefault();
    const field = rows.value[at.row];
    if (field) toggleHistory(field.key);
  } else if (at.column !== 1 && !event.ctrlKey && !event.metaKey && openFamily(event.key.toLowerCase())) {
    event.preventDefault();
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
  unfold(key);
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
    if (key) unfold(key);
    const row = rows.value.findIndex((f) => f.key === key);
    if (row < 0) return;
    void nextTick(() =>
      grid.value?.querySelector(`[data-at="${row}:2"]`)?.scrollIntoView({ block: "nearest" }),
    );
  },
);

/** Puts the cursor on a station of a field. */
function focusOn(key: string, family: Family) {
  unfold(key);
  const row = rows.value.findIndex((f) => f.key === key);
  const column = columns.value.findIndex((c) => c.name === family);
  if (row >= 0 && column > 0) moveTo(row, column);
  else focusCell();
}

defineExpose({ editField, focusCell, focusOn, takeEntry });

function rowIndex(field: Field): number {
  return rows.value.indexOf(field);
}

/** How many rules wait that records bear out, by field, where somebody asked for them. */
const learned = useLearned(() => (proposing.value ? plan.scope.kind : ""));
const proposed = computed(() => {
  const counts = new Map<string, number>();
  for (const p of (learned.data?.proposals ?? []).filter(isOpen))
    counts.set(p.target, (counts.get(p.target) ?? 0) + 1);
  return proposing.value ? counts : new Map<string, number>();
});
</script>

<template>
  <div ref="scroller">
    <div
      ref="grid"
      class="grid"
      role="grid"
      aria-label="The plan"
      :aria-rowcount="rows.length"
      :style="{ '--columns': columns.map((c) => `${c.width}px`).join(' ') }"
      @keydown="onKey"
      @paste="onPaste"
    >
      <div class="row head" role="row">
        <div
          v-for="{ name, rail } in columns"
          :key="name"
          class="cell"
          :class="[`column-${name}`, { rail }]"
          role="columnheader"
          :title="
            name in families ? `${families[name as Family].label}: ${families[name as Family].does}` : ''
          "
        >
          <template v-if="name in families">
            <FamilyGlyph :family="name as Family" />
            <span :class="{ 'visually-hidden': rail }">{{ families[name as Family].label }}</span>
          </template>
          <template v-else>{{
            { field: "Field", entered: "Entered", result: "Result" }[name as string]
          }}</template>
        </div>
      </div>
      <template v-for="section in sections" :key="section.key">
        <div class="row section" role="row">
          <div class="cell" role="rowheader">
            <button
              type="button"
              class="fold"
              :aria-expanded="!isFolded(section.key)"
              @click="fold(section.key, !isFolded(section.key))"
            >
              {{ section.label }}
            </button>
            <span v-if="isFolded(section.key)" class="quiet count">
              {{ section.fields.length }} {{ section.fields.length === 1 ? "field" : "fields"
              }}<template v-if="ruledIn(section.fields)">, {{ ruledIn(section.fields) }} with rules</template>
            </span>
            <LinePicker v-if="section.key === 'lines' && !isFolded(section.key)" />
          </div>
        </div>
        <LineResults
          v-if="section.key === 'lines' && plan.lines.length > 1 && !isFolded(section.key)"
          :fields="section.fields"
          :field="plan.selected?.field ?? rows[at.row]?.key ?? ''"
        />
        <template v-for="field in isFolded(section.key) ? [] : section.fields" :key="field.key">
          <PlanRow
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
            :proposed="proposed.get(field.key) ?? 0"
            :kind="plan.scope.kind"
            @open="openCell(rowIndex(field), $event)"
            @history="toggleHistory(field.key)"
            @focus="((at.row = rowIndex(field)), (at.column = $event))"
            @edit="edit(rowIndex(field))"
            @commit="(text, move) => commit(field, text, move)"
            @cancel="cancel"
          />
          <FieldHistory
            v-if="history === field.key"
            :kind="plan.scope.kind"
            :field="field.key"
            :label="field.label"
            @close="((history = ''), focusCell())"
          />
        </template>
      </template>
    </div>
    <AfterPosting v-if="catalog.kind?.families.includes('follow-up') && !find" />
    <p v-if="!rows.length" class="empty">No results. Clear the search to see all fields.</p>
  </div>
</template>

<style scoped>
.grid {
  padding-bottom: 12px;
  width: max-content;
  min-width: 100%;
}
.grid :deep(.row) {
  display: grid;
  grid-template-columns: var(--columns);
  border-bottom: 1px solid var(--rule);
  min-height: 25px;
  --ground: var(--paper);
}
.grid :deep(.row:not(.head, .section):hover) {
  --ground: color-mix(in srgb, var(--select) 45%, var(--paper));
  background: var(--ground);
}
.grid :deep(.row.chosen) {
  --ground: var(--select);
  background: var(--ground);
}
.grid :deep(.cell) {
  padding: 3px 8px;
  line-height: 18px;
  border-left: 1px solid var(--rule);
  min-width: 0;
  overflow-wrap: anywhere;
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
  padding: 0 7px;
}
.head .cell {
  color: var(--ink-soft);
  font-weight: 500;
  line-height: 28px;
  height: 28px;
  white-space: nowrap;
}
.head .cell > svg {
  margin-right: 5px;
}
.head .rail > svg {
  margin-right: 0;
}
.head .rail {
  text-align: center;
  padding: 0 !important;
}
.section .cell {
  grid-column: 1 / -1;
  font: 600 13px/20px var(--serif);
  min-height: 25px;
  background: var(--paper-sunk);
}
.fold {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0 4px 0 0;
  cursor: pointer;
}
.fold::before {
  content: "";
  display: inline-block;
  border: 4px solid transparent;
  border-left-color: var(--ink-soft);
  border-right-width: 0;
  margin: 0 6px 1px -10px;
  transition: transform 0.12s;
}
.fold[aria-expanded="true"]::before {
  transform: rotate(90deg);
}
.count {
  font: 12px/20px var(--sans);
  margin-left: 10px;
}
@media (prefers-reduced-motion: reduce) {
  .fold::before {
    transition: none;
  }
}
</style>
