<script setup lang="ts">
import { ElAutocomplete, ElOption, ElSelect } from "element-plus";
import { computed, ref, watch } from "vue";
import { api, ask, type Conditions, type Relation } from "@/api/client";
import { ofLine } from "@/address";
import { suggesting } from "@/choices";
import { usePlan } from "@/stores/plan";
import { useCatalog } from "@/stores/catalog";

const props = defineProps<{
  formula: string;
  /** The formula as conditions; undefined when no sentence can hold it. */
  conditions?: Conditions;
  word: string;
  emptyWords: string;
}>();
const emit = defineEmits<{ write: [formula: string] }>();
const catalog = useCatalog();
const plan = usePlan();

interface Row {
  field: string;
  relation: string;
  values: string[];
}
const join = ref<"and" | "or">("and");
const rows = ref<Row[]>([]);
const problem = ref("");
/** The formula that the rows stand for: what was read last, or written here. */
let written = "";

watch(
  () => [props.conditions, props.formula] as const,
  ([conditions, formula]) => {
    if (!conditions || formula === written) return; // what we wrote ourselves comes back
    written = formula;
    join.value = conditions.join;
    rows.value = conditions.conditions.map((c) => ({ ...c, values: [...c.values] }));
    problem.value = "";
  },
  { immediate: true },
);

const fits = computed(() => !!props.conditions || props.formula === "" || props.formula === written);
/** A rule on the header has no line at hand whose fields it could ask. */
const fields = computed(() => {
  const all = catalog.kind?.kind.fields ?? [];
  return ofLine(plan.selected?.field ?? "") ? all : all.filter((f) => !ofLine(f.key));
});

function relations(field: string): Relation[] {
  return catalog.kind?.relations[field] ?? [];
}
function relationOf(row: Row): Relation | undefined {
  return relations(row.field).find((r) => r.key === row.relation);
}
function operands(row: Row): number {
  const n = relationOf(row)?.operands ?? 0;
  return n < 0 ? 1 : n;
}

function suggest(row: Row) {
  return suggesting(
    () => catalog.field(row.field),
    () => plan.scope.company,
  );
}

async function write() {
  problem.value = "";
  if (!rows.value.length) {
    written = "";
    return emit("write", "");
  }
  const conditions: Conditions = {
    join: join.value,
    conditions: rows.value.map((row) => ({
      field: row.field,
      relation: row.relation,
      values:
        relationOf(row)?.operands === -1
          ? row.values
              .flatMap((v) => v.split(","))
              .map((v) => v.trim())
              .filter(Boolean)
          : row.values.slice(0, operands(row)),
    })),
  };
  if (conditions.conditions.some((c) => !c.field || !c.relation)) return;
  try {
    const kind = catalog.kind?.kind.key ?? "";
    const { formula } = await ask(api.POST("/conditions", { body: { kind, conditions } }));
    written = formula;
    emit("write", formula);
  } catch (error) {
    problem.value = (error as Error).message;
  }
}

function add() {
  rows.value.push({ field: "", relation: "", values: [] });
}
function remove(i: number) {
  rows.value.splice(i, 1);
  void write();
}
function setField(row: Row, field: string) {
  row.field = field;
  if (!relationOf(row)) row.relation = relations(field)[0]?.key ?? "";
  row.values = [];
  if (operands(row) === 0) void write();
}
function setRelation(row: Row, relation: string) {
  row.relation = relation;
  void write();
}
function type(row: Row, i: number, text: string) {
  if (relationOf(row)?.operands === -1) row.values = text.split(",").map((v) => v.trimStart());
  else row.values[i] = text;
}
function setValue(row: Row, i: number, text: string) {
  type(row, i, text);
  if (row.values.filter(Boolean).length >= operands(row)) void write();
}
function setJoin(value: string) {
  join.value = value as "and" | "or";
  void write();
}
</script>

<template>
  <div class="conditions">
    <template v-if="fits">
      <div v-for="(row, i) in rows" :key="i" class="condition">
        <span v-if="i === 0" class="word">{{ word }}</span>
        <ElSelect
          v-else
          class="word join"
          :class="join"
          :model-value="join"
          aria-label="and or or"
          @change="setJoin"
        >
          <ElOption value="and" label="and" /><ElOption value="or" label="or" />
        </ElSelect>
        <div class="parts">
          <ElSelect
            :model-value="row.field"
            filterable
            placeholder="field"
            class="field"
            aria-label="Field of the condition"
            :fit-input-width="false"
            @change="setField(row, $event)"
          >
            <ElOption
              v-for="f in fields"
              :key="f.key"
              :value="f.key"
              :label="ofLine(f.key) ? `${f.label} of the line` : f.label"
            />
          </ElSelect>
          <ElSelect
            v-if="row.field"
            :model-value="row.relation"
            class="relation"
            aria-label="Relation"
            :fit-input-width="false"
            @change="setRelation(row, $event)"
          >
            <ElOption v-for="r in relations(row.field)" :key="r.key" :value="r.key" :label="r.phrase" />
          </ElSelect>
          <template v-for="n in operands(row)" :key="n">
            <span v-if="n === 2" class="quiet">and</span>
            <ElAutocomplete
              class="value"
              :model-value="
                relationOf(row)?.operands === -1 ? row.values.join(', ') : (row.values[n - 1] ?? '')
              "
              :fetch-suggestions="suggest(row)"
              :debounce="0"
              :aria-label="'Value of the condition'"
              @update:model-value="type(row, n - 1, String($event))"
              @change="setValue(row, n - 1, String($event))"
              @select="setValue(row, n - 1, $event.value as string)"
            >
              <template #default="{ item }"
                >{{ item.value }} <span class="quiet">{{ item.label }}</span></template
              >
            </ElAutocomplete>
          </template>
        </div>
        <button
          type="button"
          class="plain drop"
          aria-label="Remove the condition"
          title="Remove"
          @click="remove(i)"
        >
          ×
        </button>
      </div>
      <p v-if="!rows.length" class="quiet none">{{ emptyWords }}</p>
      <p v-if="problem" class="problem">{{ problem }}</p>
      <button type="button" class="plain" @click="add">
        {{ rows.length ? "Add a condition" : `Add a condition: ${word} …` }}
      </button>
    </template>
    <p v-else class="formula">
      <span class="word">{{ word }}</span> <code>{{ formula }}</code>
      <span class="quiet">This cannot be said as a sentence; change it as a formula.</span>
    </p>
  </div>
</template>

<style scoped>
.condition {
  display: flex;
  align-items: flex-start;
  gap: 6px;
  margin-bottom: 5px;
}
.word {
  font: italic 14px/28px var(--serif);
  width: 46px;
  flex: none;
}
.join :deep(.el-select__wrapper) {
  background: none;
  box-shadow: none;
  padding: 0;
  border-bottom: 1px dotted var(--ink);
  border-radius: 0;
  font: 600 14px/26px var(--serif);
}
.parts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  flex: 1;
  align-items: center;
}
.field {
  width: 136px;
}
.relation {
  width: 106px;
}
.value {
  width: 96px;
}
.drop {
  text-decoration: none;
  font-size: 16px;
}
.none {
  margin: 0 0 2px;
}
.problem {
  color: var(--refused);
  margin: 2px 0;
  font-size: 12px;
}
.formula {
  margin: 0;
}
.formula code {
  display: block;
  margin: 2px 0;
}
</style>
