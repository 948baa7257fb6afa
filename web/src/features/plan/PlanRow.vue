<script setup lang="ts">
import { computed, useTemplateRef } from "vue";
import { RouterLink } from "vue-router";
import type { Family, Field, FieldOutcome, Message, PlanRule } from "@/api/client";
import BandSignal from "@/ui/BandSignal.vue";
import EnteredCell from "@/features/plan/EnteredCell.vue";
import StationCell from "@/features/plan/StationCell.vue";
import { rooms, type Column } from "@/features/plan/planColumns";
import { families } from "@/ui/families";
import type { Beside } from "@/features/plan/comparison";
import { shownInWords, useShown } from "@/queries/codicils";

/** One field of the plan. It is drawn anew only when something that it shows changed. */
const shown = useShown();
const props = defineProps<{
  field: Field;
  row: number;
  columns: Column[];
  outcome?: FieldOutcome;
  /** The rules by station. */
  rules?: Record<string, PlanRule[]>;
  messages?: Message[];
  text: string;
  company: string;
  /** The column that has the cursor; 0: another row has it. */
  active: number;
  editing: boolean;
  replacing: boolean;
  /** The station whose rule is open. */
  selected?: Family;
  /** The rules of the plan beside this one, by station, where they differ. */
  difference?: Map<string, PlanRule[]>;
  beside?: Beside;
  /** How many rules wait that records bear out; 0 also where nobody asked. */
  proposed?: number;
  kind: string;
}>();
const emit = defineEmits<{
  open: [column: number];
  focus: [column: number];
  edit: [];
  commit: [text: string, move: number];
  cancel: [];
  history: [];
}>();
const none: never[] = [];

/** How many letters stand in a column; undefined: nothing, so that what stands beside it may run over it. */
function lettersIn(column: number): number | undefined {
  const name = props.columns[column]!.name;
  if (name === "result") return props.outcome?.final.text ? 0 : undefined;
  if (name === "entered" || name === "field") return 0;
  if (name === "validate" && props.messages?.length)
    return Math.max(...props.messages.map((m) => m.text.length)) - (props.field.label.length + 1) + 4;
  const acts = (props.outcome?.acts ?? []).filter((a) => a.family === name);
  const acted = acts.find((a) => a.did === "acted" || a.did === "failed");
  const rules = props.rules?.[name] ?? none;
  if (!rules.length && !acts.length) return undefined;
  const phrase = acted ? `${acted.after.text} ${acted.reason ?? acted.phrase}` : (rules[0]?.phrase ?? "");
  return phrase.length + (rules.length > 1 ? 3 : 0) + (rules[0]?.occasions ? 2 : 0) + 1;
}
const isEmpty = (column: number) => lettersIn(column) === undefined;
const stretches = computed(() => rooms(props.columns, lettersIn));

const cell = useTemplateRef<{ commit: (move: number) => void }[]>("cell");
defineExpose({ commit: (move: number) => cell.value?.[0]?.commit(move) });
</script>

<template>
  <div
    class="row"
    role="row"
    :data-field="field.key"
    :class="{ hidden: outcome?.access === 'hidden', chosen: !!selected }"
  >
    <div
      class="cell name"
      role="rowheader"
      :title="field.help ? `${field.label}: ${field.help}` : field.label"
      @click="emit('open', 0)"
    >
      {{ field.label }}<span v-if="outcome?.need === 'required'" class="star" title="required">*</span>
      <RouterLink
        v-if="proposed"
        class="waiting"
        tabindex="-1"
        :to="{ path: '/rules/learned', query: { kind, field: field.key } }"
        :title="`Records bear out ${proposed} ${proposed === 1 ? 'rule' : 'rules'} for this field`"
        :aria-label="`+${proposed} proposed for ${field.label}`"
        @click.stop
        >+{{ proposed }}</RouterLink
      >
      <button
        type="button"
        class="past"
        tabindex="-1"
        title="History of the rules on this field (H)"
        :aria-label="`History of the rules on ${field.label}`"
        @click.stop="emit('history')"
      >
        <svg viewBox="0 0 14 14" width="12" height="12" aria-hidden="true">
          <path d="M7 3.500V7l2.500 1.500M7 1.500a5.500 5.500 0 1 1-5.200 3.700M1.500 2v3.200h3.200" />
        </svg>
      </button>
    </div>
    <div
      v-for="({ name, rail }, i) in columns.slice(1)"
      :key="name"
      class="cell"
      :class="[
        `column-${name}`,
        name in families ? `family-${name}` : '',
        {
          selected: selected === name,
          rail,
          free: name in families && isEmpty(i + 1),
        },
      ]"
      role="gridcell"
      :tabindex="active === i + 1 ? 0 : -1"
      :data-at="`${row}:${i + 1}`"
      :data-station="name"
      :data-offer="name in families ? families[name as Family].label : undefined"
      :aria-label="
        name in families && isEmpty(i + 1) ? `${families[name as Family].label}: no rule` : undefined
      "
      @focus="emit('focus', i + 1)"
      @click="emit('open', i + 1)"
    >
      <EnteredCell
        v-if="name === 'entered'"
        ref="cell"
        :field="field"
        :text="text"
        :company="company"
        :editing="editing"
        :replace="replacing"
        :misfit="!!outcome?.misfit"
        @commit="(typed, move) => emit('commit', typed, move)"
        @cancel="emit('cancel')"
        @edit="emit('edit')"
      />
      <span
        v-else-if="name === 'result'"
        class="result"
        :class="`made-${outcome?.made || 'none'}`"
        :title="outcome?.final.text"
        ><BandSignal v-if="outcome?.band" class="band" bare :band="outcome!.band!" />{{
          outcome?.final.text
        }}</span
      >
      <StationCell
        v-else
        :family="name as Family"
        :room="stretches[i + 1]!"
        :label="field.label"
        :rules="rules?.[name] ?? none"
        :outcome="outcome"
        :messages="name === 'validate' ? (messages ?? none) : none"
      />
    </div>
  </div>
  <div v-if="difference" class="row other" :data-other="field.key">
    <div class="cell name quiet">
      in {{ beside?.company }}, {{ beside?.type
      }}<template v-if="beside && beside.rules !== shown.rules">, {{ shownInWords(beside.rules) }}</template>
    </div>
    <div
      v-for="{ name } in columns.slice(1)"
      :key="name"
      class="cell"
      :class="name in families ? `family-${name}` : ''"
    >
      <span v-for="r in difference.get(name)?.slice(0, 1)" :key="r.id" class="there" :title="r.sentence">{{
        r.phrase
      }}</span>
      <span v-if="difference.get(name)?.length === 0" class="there none">no rule</span>
    </div>
  </div>
</template>

<style scoped>
[role="gridcell"] {
  cursor: pointer;
}
[role="gridcell"]:focus {
  outline: 2px solid var(--focus);
  outline-offset: -2px;
}
.column-entered {
  background: var(--paper-raised);
  cursor: text;
}
.column-entered:has(input) {
  padding: 0;
  outline: 2px solid var(--focus);
  outline-offset: -2px;
}
.name {
  cursor: pointer;
}
.star {
  color: var(--entry);
  font-weight: 700;
  margin-left: 3px;
}
.hidden .name,
.hidden .result {
  color: var(--ink-faint);
  text-decoration: line-through;
}
.other .cell {
  background: var(--paper-sunk);
  font-size: 12px;
}
.there {
  color: var(--hue);
}
.there.none {
  color: var(--ink-faint);
  font-style: italic;
}
.waiting {
  position: absolute;
  right: 20px;
  top: 2px;
  padding: 0 4px;
  font-size: 12px;
  color: var(--ink);
  background: var(--ground);
  border: 1px solid var(--rule-strong);
  border-radius: 2px;
  text-decoration: none;
}
/* It lies over the label: a row must not change its height under the pointer. */
.row .cell.name {
  position: relative;
  padding-right: 18px;
}
.past {
  opacity: 0;
  position: absolute;
  right: 2px;
  top: 3px;
  border: 0;
  background: var(--ground);
  padding: 3px;
  line-height: 0;
  color: var(--ink-soft);
  cursor: pointer;
}
.past path {
  fill: none;
  stroke: currentcolor;
}
.row:hover .past,
.row:focus-within .past {
  opacity: 1;
}
[role="gridcell"].rail,
[role="gridcell"].free {
  position: relative;
}
.free:not(:has(input)):hover::after,
.free:focus::after {
  content: "+";
  color: var(--hue);
  position: absolute;
  left: 8px;
}
/* A folded station opens under the pointer and the cursor. */
.rail:hover::after,
.rail:focus::after {
  content: "+ " attr(data-offer);
  left: -1px;
  top: -1px;
  z-index: 4;
  padding: 3px 10px 3px 8px;
  background: var(--paper-raised);
  border: 1px solid var(--rule-strong);
  white-space: nowrap;
  pointer-events: none;
}
.selected {
  box-shadow: inset 0 0 0 2px var(--hue);
}
.result {
  font-weight: 600;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
}
.chosen .result {
  display: inline;
}
.made-entered,
.made-stored {
  font-weight: 400;
}
.band {
  margin-right: 5px;
}
.made-source {
  color: var(--source);
}
.made-default {
  color: var(--default);
}
.made-compute {
  color: var(--compute);
}
.made-substitute {
  color: var(--substitute);
}
</style>
