<script setup lang="ts">
import { computed } from "vue";
import type { Field } from "@/api/client";
import { addressOf } from "@/api/address";
import { usePlan } from "@/queries/plan";

/** What one field came out as in every line of the test document. */
const props = defineProps<{
  fields: Field[];
  /** The field that is looked at; where it is none of the lines, the one looked at before. */
  field: string;
}>();
const plan = usePlan();

const shown = computed<Field | undefined>(
  (before) => props.fields.find((f) => f.key === props.field) ?? before ?? props.fields[0],
);
const refused = computed(
  () =>
    new Set(
      (plan.outcome?.messages ?? [])
        .filter((m) => m.severity === "refuse" && m.field === shown.value?.key)
        .map((m) => m.line),
    ),
);
const results = computed(() =>
  plan.lines.map((line) => {
    const field = plan.fields.get(addressOf(shown.value?.key ?? "", line));
    return { line, text: field?.final.text ?? "", made: field?.made ?? "", refused: refused.value.has(line) };
  }),
);
</script>

<template>
  <div v-if="shown" class="results" role="group" :aria-label="`${shown.label} in every line`">
    <span class="label">{{ shown.label }}</span>
    <button
      v-for="r in results"
      :key="r.line"
      type="button"
      :class="{ here: r.line === plan.line, refused: r.refused }"
      :aria-current="r.line === plan.line ? 'true' : undefined"
      :title="`Show line ${r.line}`"
      @click="plan.line = r.line"
    >
      <span class="number">{{ r.line }}</span> {{ r.text || "blank" }}
    </button>
  </div>
</template>

<style scoped>
.results {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 4px;
  max-height: 78px;
  overflow: auto;
  padding: 4px 8px 4px 16px;
  border-bottom: 1px solid var(--rule);
  contain: inline-size; /* many lines do not make the plan wider */
}
.label {
  color: var(--ink-soft);
  line-height: 20px;
  margin-right: 6px;
}
button {
  font: inherit;
  line-height: 18px;
  color: inherit;
  background: none;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 0 6px;
  cursor: pointer;
}
.number {
  color: var(--ink-soft);
  font-size: 11px;
  margin-right: 3px;
}
.here {
  background: var(--select);
  border-color: var(--focus);
}
.refused {
  color: var(--refused);
  border-color: var(--refused);
}
</style>
