<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { api, ask, type Condition, type Conditions } from "@/api/client";
import FormulaTold from "@/features/rules/FormulaTold.vue";
import ConditionRow from "@/features/rules/ConditionRow.vue";
import { writing } from "@/features/rules/writing";
import { useNames } from "@/queries/names";
import { newestOnly } from "@/queries/whileTyping";

const props = defineProps<{
  kind: string;
  /** The field that the rule is on. */
  target: string;
  formula: string;
  /** The formula as conditions; undefined when no sentence can hold it. */
  conditions?: Conditions;
  word: string;
  /** The name that the first condition begins with, where there is none yet. */
  start?: string;
  emptyWords: string;
  /** What was not finished when the sentence was left. */
  unfinished?: Conditions;
}>();
const emit = defineEmits<{
  write: [formula: string];
  formula: [];
  unfinished: [rows: Conditions | undefined];
}>();
const words = useNames(() => props);

const join = ref<Conditions["join"]>("and");
const rows = ref<Condition[]>([]);
const problem = ref("");
/** The formula that the rows stand for: what was read last, or written here. */
let written = "";

watch(
  () => [props.conditions, props.formula] as const,
  ([conditions, formula]) => {
    if (!conditions || formula === written) return; // what we wrote ourselves comes back
    written = formula;
    const shown = props.unfinished ?? conditions;
    join.value = shown.join;
    rows.value = JSON.parse(JSON.stringify(shown.conditions)) as Condition[];
    problem.value = "";
  },
  { immediate: true },
);
if (props.start && !props.formula && !props.unfinished) rows.value = [{ ...blank(), field: props.start }];
if (props.unfinished && !rows.value.length) {
  join.value = props.unfinished.join;
  rows.value = JSON.parse(JSON.stringify(props.unfinished.conditions)) as Condition[];
}

/** The condition that a new rule offers is nothing until somebody says more of it. */
const untouched = computed(() => {
  const only = rows.value.length === 1 ? rows.value[0]! : undefined;
  return (
    !!props.start &&
    !props.formula &&
    only?.field === props.start &&
    only.other === undefined &&
    !only.values.some((v) => v.trim())
  );
});

// What stands here and is not in the formula yet is told, so that it is not left behind.
const stands = computed<Conditions>(() => ({ join: join.value, conditions: rows.value }));
watch(
  () =>
    !untouched.value && (problem.value || !rows.value.every(isComplete)) ? JSON.stringify(stands.value) : "",
  (now) => emit("unfinished", now ? (JSON.parse(now) as Conditions) : undefined),
);
onBeforeUnmount(() => emit("unfinished", undefined));

const fits = computed(() => !!props.conditions || props.formula === "" || props.formula === written);
const other = computed<Conditions["join"]>(() => (join.value === "and" ? "or" : "and"));

function isComplete(c: Condition): boolean {
  if (c.group) return c.group.conditions.every(isComplete);
  const relation = words.relations(c.field).find((r) => r.key === c.relation);
  if (!c.field || !relation || c.other === "") return false;
  return !!c.other || c.values.filter((v) => v.trim()).length >= Math.abs(relation.operands);
}

/** The condition as it is sent: as many values as its relation takes. */
function plain(c: Condition): Condition {
  if (c.group) {
    const group = { join: other.value, conditions: c.group.conditions.map(plain) };
    return { field: "", relation: "", values: [], group };
  }
  const operands = words.relations(c.field).find((r) => r.key === c.relation)!.operands;
  if (c.other) return { field: c.field, relation: c.relation, values: [], other: c.other };
  const values = operands < 0 ? c.values.map((v) => v.trim()).filter(Boolean) : c.values.slice(0, operands);
  return { field: c.field, relation: c.relation, values };
}

const newest = newestOnly();
async function write() {
  problem.value = "";
  if (!rows.value.length) {
    written = "";
    return emit("write", "");
  }
  if (!rows.value.every(isComplete)) return;
  const conditions: Conditions = { join: join.value, conditions: rows.value.map(plain) };
  try {
    const body = { kind: props.kind, target: props.target, conditions };
    const answer = await writing(newest((signal) => ask(api.POST("/conditions", { body, signal }))));
    if (!answer) return; // the sentence went on meanwhile
    written = answer.formula;
    // What was typed may mean another relation: several codes are one of them, a label is its field.
    if (answer.conditions && JSON.stringify(answer.conditions) !== JSON.stringify(conditions)) {
      join.value = answer.conditions.join;
      rows.value = answer.conditions.conditions;
    }
    emit("write", answer.formula);
  } catch (error) {
    problem.value = (error as Error).message;
  }
}

function blank(): Condition {
  return { field: "", relation: "", values: [] };
}
function add() {
  rows.value.push(blank());
}
function addGroup() {
  rows.value.push({ ...blank(), group: { join: other.value, conditions: [blank(), blank()] } });
}
function remove(from: Condition[], i: number) {
  from.splice(i, 1);
  // A group of one is that one, a group of none is nothing, and what has only a group is that group.
  rows.value = rows.value.flatMap((row) => {
    if (!row.group || row.group.conditions.length > 1) return [row];
    return row.group.conditions;
  });
  const only = rows.value.length === 1 ? rows.value[0]!.group : undefined;
  if (only) {
    join.value = only.join;
    rows.value = only.conditions;
  }
  void write();
}
function setJoin(value: Conditions["join"]) {
  join.value = value;
  for (const row of rows.value) if (row.group) row.group.join = other.value;
  void write();
}
/** How a group begins, so that nobody takes its and or or for that around it. */
function opening(group: Conditions): string {
  if (group.join === "or") return group.conditions.length > 2 ? "any of" : "either";
  return group.conditions.length > 2 ? "all of" : "both";
}
</script>

<template>
  <div class="conditions">
    <template v-if="fits">
      <div v-for="(row, i) in rows" :key="i" class="condition">
        <span v-if="i === 0" class="word">{{ word }}</span>
        <SelectBox
          v-else
          class="word join"
          :class="join"
          :model-value="join"
          label="and or or"
          :options="[
            { value: 'and', label: 'and' },
            { value: 'or', label: 'or' },
          ]"
          @change="setJoin"
        />
        <ConditionRow
          v-if="!row.group"
          :model-value="row"
          :kind="kind"
          :target="target"
          @update:model-value="rows[i] = $event"
          @written="write"
          @remove="remove(rows, i)"
        />
        <div v-else class="group" role="group" :aria-label="`${opening(row.group)} of several conditions`">
          <div v-for="(inner, j) in row.group.conditions" :key="j" class="inner">
            <span class="word">{{ j === 0 ? opening(row.group) : other }}</span>
            <ConditionRow
              :model-value="inner"
              :kind="kind"
              :target="target"
              @update:model-value="row.group.conditions[j] = $event"
              @written="write"
              @remove="remove(row.group.conditions, j)"
            />
          </div>
          <button type="button" class="plain more" @click="row.group.conditions.push(blank())">
            Add an {{ other }}
          </button>
        </div>
      </div>
      <p v-if="!rows.length" class="quiet none">{{ emptyWords }}</p>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <p v-else-if="!untouched && !rows.every(isComplete)" class="problem" role="status">
        A condition is not finished: complete or remove it before you save the rule.
      </p>
      <button type="button" class="plain" @click="add">
        {{ rows.length ? "Add a condition" : `Add a condition: ${word} …` }}
      </button>
      <button v-if="rows.length" type="button" class="plain" @click="addGroup">
        Add a group: {{ join }} {{ other === "or" ? "either … or …" : "both … and …" }}
      </button>
    </template>
    <p v-else class="formula">
      <span class="word">{{ word }}</span>
      <FormulaTold :kind="kind" :target="target" :formula="formula" @edit="emit('formula')" />
    </p>
  </div>
</template>

<style scoped>
.condition,
.inner {
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
/* The bracket holds together what belongs together. */
.group {
  flex: 1;
  min-width: 0;
  border: 1px solid var(--rule-strong);
  border-right: 0;
  border-radius: 6px 0 0 6px;
  padding: 4px 0 2px 8px;
}
.group .word {
  width: 42px;
  font-weight: 600;
}
.more {
  font-size: 12px;
  margin-left: 48px;
}
.problem {
  color: var(--refused);
  font-size: 12px;
}
.none {
  margin: 0 0 4px;
}
.formula {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
.formula code {
  overflow-wrap: anywhere;
}
.conditions > .plain + .plain {
  margin-left: 12px;
}
</style>
