<script setup lang="ts">
import { useTemplateRef } from "vue";
import type { Family, Field, FieldOutcome, Message, PlanRule } from "@/api/client";
import BandSignal from "@/ui/BandSignal.vue";
import EnteredCell from "@/features/plan/EnteredCell.vue";
import StationCell from "@/features/plan/StationCell.vue";
import { families } from "@/ui/families";

/** One field of the plan. It is drawn anew only when something that it shows changed. */
defineProps<{
  field: Field;
  row: number;
  columns: string[];
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
  beside?: { company: string; type: string };
}>();
const emit = defineEmits<{
  open: [column: number];
  focus: [column: number];
  edit: [];
  commit: [text: string, move: number];
  cancel: [];
}>();
const none: never[] = [];

const cell = useTemplateRef<{ commit: (move: number) => void }[]>("cell");
defineExpose({ commit: (move: number) => cell.value?.[0]?.commit(move) });
</script>

<template>
  <div class="row" role="row" :data-field="field.key" :class="{ hidden: outcome?.access === 'hidden' }">
    <div
      class="cell name"
      role="rowheader"
      :title="field.help ? `${field.label}: ${field.help}` : field.label"
      @click="emit('open', 0)"
    >
      {{ field.label }}<span v-if="outcome?.need === 'required'" class="star" title="required">*</span>
    </div>
    <div
      v-for="(name, i) in columns.slice(1)"
      :key="name"
      class="cell"
      :class="[
        `column-${name}`,
        name in families ? `family-${name}` : '',
        {
          selected: selected === name,
          lit: outcome?.acts.some((a) => a.family === name && a.did === 'acted'),
        },
      ]"
      role="gridcell"
      :tabindex="active === i + 1 ? 0 : -1"
      :data-at="`${row}:${i + 1}`"
      :data-station="name"
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
        :label="field.label"
        :rules="rules?.[name] ?? none"
        :outcome="outcome"
        :messages="name === 'validate' ? (messages ?? none) : none"
      />
    </div>
  </div>
  <div v-if="difference" class="row other" :data-other="field.key">
    <div class="cell name quiet">in {{ beside?.company }}, {{ beside?.type }}</div>
    <div
      v-for="name in columns.slice(1)"
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
.lit {
  background: var(--wash);
}
.selected {
  box-shadow: inset 0 0 0 2px var(--hue);
}
.result {
  font-weight: 600;
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
