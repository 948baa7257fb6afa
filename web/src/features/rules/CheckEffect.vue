<script setup lang="ts">
import { computed, defineAsyncComponent } from "vue";
import type { Conditions, Field, RuleBody } from "@/api/client";
import { ofLine } from "@/api/address";
import ConditionEditor from "@/features/rules/ConditionEditor.vue";
import UniqueEditor from "@/features/rules/UniqueEditor.vue";

const FormulaEditor = defineAsyncComponent(() => import("@/features/rules/FormulaEditor.vue"));

/** What must hold, what happens when it does not, and what is said then. */
const body = defineModel<RuleBody>({ required: true });
const props = defineProps<{ field: Field; asFormula: boolean; must?: Conditions; unfinished?: Conditions }>();
defineEmits<{ unfinished: [rows: Conditions | undefined]; formula: [] }>();

/** How a message names the value of the field. */
const valueInMessage = computed(() => `{${props.field.key.replace(/^lines\./, "line.")}}`);
/** What was written before the other way was chosen. */
let mustBefore = "";
let uniqueBefore: RuleBody["effect"]["unique"];
function ask(forUnique: boolean) {
  const effect = body.value.effect;
  if (forUnique) {
    mustBefore = effect.must ?? "";
    effect.must = undefined;
    effect.unique = uniqueBefore ?? {
      with: [],
      everywhere: false,
      ignore: ["case", "spaces", "punctuation"],
      near: false,
    };
  } else {
    uniqueBefore = effect.unique;
    effect.unique = undefined;
    effect.must = mustBefore;
  }
}
</script>

<template>
  <div class="checked" role="radiogroup" aria-label="What is checked">
    <label><input type="radio" :checked="!body.effect.unique" @change="ask(false)" /> a condition</label>
    <label
      ><input type="radio" :checked="!!body.effect.unique" @change="ask(true)" /> that it is unique</label
    >
  </div>
  <UniqueEditor v-if="body.effect.unique" v-model="body.effect.unique" :kind="body.kind" :field="field" />
  <FormulaEditor
    v-else-if="asFormula"
    :model-value="body.effect.must ?? ''"
    part="must"
    :rule="body"
    label="What must hold"
    @update:model-value="body.effect.must = $event"
  />
  <ConditionEditor
    v-else
    data-begin
    :start="field.key.replace(/^lines\./, 'line.')"
    :kind="body.kind"
    :target="body.target"
    :formula="body.effect.must ?? ''"
    :conditions="must"
    word="must"
    empty-words="Add what must be true."
    :unfinished="unfinished"
    @unfinished="$emit('unfinished', $event)"
    @formula="$emit('formula')"
    @write="body.effect.must = $event"
  />
  <fieldset class="choice">
    <legend class="field-label">If it is not true</legend>
    <label><input v-model="body.effect.severity" type="radio" value="refuse" /> refuse</label>
    <label><input v-model="body.effect.severity" type="radio" value="confirm" /> allow with a reason</label>
    <label><input v-model="body.effect.severity" type="radio" value="advise" /> advise only</label>
  </fieldset>
  <label>
    <span class="field-label"
      >Message: what is wrong and what to do; values in braces: {{ valueInMessage }}</span
    >
    <textarea v-model="body.effect.message" class="line" rows="2" />
  </label>
  <fieldset class="choice row">
    <legend class="field-label">Cursor goes to</legend>
    <label><input v-model="body.effect.points" type="radio" :value="undefined" /> the field</label>
    <label v-if="ofLine(field.key)"
      ><input v-model="body.effect.points" type="radio" value="line" /> the line</label
    >
    <label><input v-model="body.effect.points" type="radio" value="document" /> the whole document</label>
  </fieldset>
</template>

<style scoped>
.checked {
  display: flex;
  gap: 14px;
}
.row {
  display: flex;
  gap: 12px;
}
</style>
