<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import type { Field, Message } from "@/api/client";
import { addressOf } from "@/api/address";
import BandSignal from "@/ui/BandSignal.vue";
import LateInput from "@/ui/LateInput.vue";
import CellInput from "@/features/records/CellInput.vue";
import type { Trial } from "@/queries/trial";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const props = defineProps<{
  columns: { field: Field; label: string; width: number }[];
  trial: Trial;
  company: string;
  readonly?: boolean;
  strict?: boolean;
  /** The cursor passes over what rules say; false: it goes to every field. */
  assisted?: boolean;
}>();
const emit = defineEmits<{ changed: []; derive: [address: string] }>();
const table = ref<HTMLElement>();
const undo = ref<{ line: number; back: () => void }>();

const grid = computed(
  () =>
    `34px ${props.columns.map((c) => `minmax(${catalog.traits(c.field.type).width}px, ${c.width}fr)`).join(" ")} 26px`,
);
const messages = computed(() => {
  const map = new Map<number, Message[]>();
  for (const m of props.trial.outcome.value?.messages ?? [])
    if (
      (m.field.startsWith("lines.") || (!m.field && m.line)) &&
      (props.strict || (m.code !== "required" && m.code !== "unbalanced"))
    )
      map.set(m.line ?? 0, [...(map.get(m.line ?? 0) ?? []), m]);
  return map;
});

/** The cell that the cursor is in: what must be keyed twice asks before the cursor has gone on. */
const here = ref("");
/** Going from the value to the one keyed again stays in the same place. */
function leaves(event: FocusEvent) {
  if (!(event.currentTarget as HTMLElement).contains(event.relatedTarget as Node | null)) here.value = "";
}
/** A value that is new here and must be keyed twice. */
function asksAgain(address: string): boolean {
  const field = props.trial.fields.value.get(address);
  if (here.value === address && field?.twice && !props.readonly) return true;
  return (
    !props.readonly && !!field?.twice && !!field.entered.text && field.made !== "stored" && !field.misfit
  );
}

/** The unit of a quantity, where it has a column of its own. */
function unitBeside(field: Field, line: number): string | undefined {
  const shown = props.columns.some((c) => c.field.key === `lines.${field.unit}`);
  return shown ? props.trial.unitOf(field, line) : undefined;
}

function focus(line: number, key: string) {
  void nextTick(() =>
    table.value?.querySelector<HTMLElement>(`[data-address="${addressOf(key, line)}"] input`)?.focus(),
  );
}
function add() {
  emit("changed");
  const number = props.trial.addLine();
  undo.value = undefined;
  const first = props.columns[0];
  if (first) focus(number, first.field.key);
}
function remove(line: number) {
  emit("changed");
  undo.value = { line, back: props.trial.removeLine(line) };
}
function putBack() {
  undo.value?.back();
  undo.value = undefined;
}
async function enter(address: string, text: string) {
  emit("changed");
  await props.trial.enter(address, text);
}
/** Enter goes to the next line, and adds one after the last. */
function down(line: number, key: string) {
  const next = props.trial.lines.value[props.trial.lines.value.indexOf(line) + 1];
  if (next) focus(next, key);
  else add();
}
</script>

<template>
  <div ref="table" class="lines">
    <div role="table" aria-label="Lines">
      <div class="row head" role="row" :style="{ gridTemplateColumns: grid }">
        <div role="columnheader"><span class="visually-hidden">Line</span></div>
        <div
          v-for="c in columns"
          :key="c.field.key"
          role="columnheader"
          :class="{ right: catalog.traits(c.field.type).right }"
          :title="c.field.help"
        >
          {{ c.label }}
        </div>
        <div role="columnheader"><span class="visually-hidden">Remove</span></div>
      </div>
      <template v-for="line in trial.lines.value" :key="line">
        <div class="row" role="row" :style="{ gridTemplateColumns: grid }">
          <div class="number quiet" role="rowheader">{{ line }}</div>
          <div
            v-for="c in columns"
            :key="c.field.key"
            role="cell"
            :data-address="addressOf(c.field.key, line)"
            class="in"
            @focusin="here = addressOf(c.field.key, line)"
            @focusout="leaves"
          >
            <CellInput
              v-if="trial.fields.value.get(addressOf(c.field.key, line))?.access !== 'hidden'"
              :field="c.field"
              :label="`${c.label} in line ${line}`"
              :text="trial.textOf(addressOf(c.field.key, line))"
              :outcome="trial.fields.value.get(addressOf(c.field.key, line))"
              :unjudged="!!trial.problem.value"
              :unit="unitBeside(c.field, line)"
              :company="company"
              :readonly="readonly"
              :skip="
                assisted && trial.fields.value.get(addressOf(c.field.key, line))?.cursor === 'passed over'
              "
              :data-stop="
                trial.fields.value.get(addressOf(c.field.key, line))?.cursor === 'stop' || undefined
              "
              in-line
              @enter="enter(addressOf(c.field.key, line), $event)"
              @down="down(line, c.field.key)"
            />
            <BandSignal
              v-if="trial.fields.value.get(addressOf(c.field.key, line))?.band"
              :band="trial.fields.value.get(addressOf(c.field.key, line))!.band!"
            />
            <span
              v-if="!readonly && trial.fields.value.get(addressOf(c.field.key, line))?.stored"
              class="says unstored"
              >stored is
              {{ trial.fields.value.get(addressOf(c.field.key, line))!.stored!.text || "blank" }}</span
            >
            <button
              v-if="!readonly && trial.fields.value.get(addressOf(c.field.key, line))?.offered"
              type="button"
              class="plain take"
              :aria-label="`Take ${trial.fields.value.get(addressOf(c.field.key, line))!.offered!.text} as ${c.label} in line ${line}`"
              :title="`${c.label} is ${trial.fields.value.get(addressOf(c.field.key, line))!.offered!.text} in the linked record`"
              @click="emit('derive', addressOf(c.field.key, line))"
            >
              take {{ trial.fields.value.get(addressOf(c.field.key, line))!.offered!.text }}
            </button>
            <LateInput
              v-if="asksAgain(addressOf(c.field.key, line))"
              placeholder="again"
              :aria-label="`${c.label} in line ${line}, keyed again`"
              :value="trial.entered.value[addressOf(c.field.key, line)]?.again ?? ''"
              @take="trial.enterAgain(addressOf(c.field.key, line), $event)"
            />
          </div>
          <div role="cell">
            <button
              v-if="!readonly"
              type="button"
              class="plain drop"
              tabindex="-1"
              :aria-label="`Remove line ${line}`"
              @click="remove(line)"
            >
              ×
            </button>
          </div>
        </div>
        <p v-for="(m, i) in messages.get(line)" :key="i" class="says" :class="m.severity">{{ m.text }}</p>
      </template>
    </div>
    <p v-for="(m, i) in messages.get(0)" :key="i" class="says" :class="m.severity">{{ m.text }}</p>
    <p v-if="readonly && !trial.lines.value.length" class="quiet">No lines.</p>
    <div v-if="!readonly" class="foot">
      <button type="button" class="plain" @click="add">Add a line</button>
      <button v-if="undo" type="button" class="plain" @click="putBack">
        Restore line {{ undo.line }} back
      </button>
    </div>
  </div>
</template>

<style scoped>
.unstored {
  display: block;
  font-size: 11px;
  font-style: italic;
}
.take {
  font-size: 11px;
}
.lines {
  overflow-x: auto;
}
.row {
  display: grid;
  column-gap: 4px;
  align-items: center;
  min-width: fit-content;
}
.row:not(.head) {
  padding: 2px 0;
}
.head {
  color: var(--ink-soft);
  font-size: 12px;
}
.head > div {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  padding: 0 4px;
}
.right {
  text-align: right;
}
.number {
  text-align: right;
  padding-right: 6px;
}
.in {
  min-width: 0;
}
.drop {
  text-decoration: none;
  font-size: 16px;
  color: var(--ink-soft);
}
.says {
  margin: 0 0 3px 38px;
  font-size: 12px;
  color: var(--ink-soft);
}
.says.refuse {
  color: var(--refused);
}
.foot {
  padding: 3px 0 0 30px;
}
</style>
