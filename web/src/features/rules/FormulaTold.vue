<script setup lang="ts">
import { api } from "@/api/client";
import { useAsked } from "@/queries/client";
import { format } from "@/queries/format";
import { usePlan } from "@/queries/plan";

/** A formula that is not being edited, in words: each tells by hovering which part of the formula it stands for. */
const props = defineProps<{ kind: string; target: string; formula: string }>();
const emit = defineEmits<{ edit: [] }>();
const plan = usePlan();
const asked = useAsked(
  () => ["told", props.kind, props.target, props.formula, plan.scope.company, plan.scope.type, { ...format }],
  (signal) => {
    const { company, type } = plan.scope;
    const body = { kind: props.kind, target: props.target, formula: props.formula, company, type, format };
    return api.POST("/formulas/tell", { body, signal });
  },
  { keep: true, lasting: true },
);
</script>

<template>
  <button type="button" class="told" title="Edit the formula" @click="emit('edit')">
    <template v-if="asked.data?.words.length"
      ><component
        :is="w.code ? 'code' : 'span'"
        v-for="(w, i) in asked.data.words"
        :key="i"
        class="word"
        :title="formula.slice(w.start, w.end)"
        >{{ w.text }}</component
      ></template
    >
    <code v-else>{{ formula }}</code>
  </button>
</template>

<style scoped>
.told {
  font: 14px/1.45 var(--serif);
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.word:hover {
  background: var(--select);
}
</style>
