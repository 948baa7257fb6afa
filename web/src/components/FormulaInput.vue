<script setup lang="ts">
import { computed, useId } from "vue";
import type { Schemas } from "@/api/client";

const props = defineProps<{
  modelValue: string;
  label: string;
  problems: Schemas["RuleProblem"][];
  placeholder?: string;
}>();
const emit = defineEmits<{ "update:modelValue": [string] }>();
const id = useId();

const rows = computed(() =>
  Math.min(6, Math.max(2, props.modelValue.split("\n").length + Math.floor(props.modelValue.length / 46))),
);

/** The text around a problem, with its place marked. */
function marked(p: Schemas["RuleProblem"]) {
  const end = Math.max(p.end, p.start + 1);
  const from = Math.max(0, p.start - 18);
  return {
    before: (from > 0 ? "…" : "") + props.modelValue.slice(from, p.start),
    at: props.modelValue.slice(p.start, end) || " ",
    after: props.modelValue.slice(end, end + 18),
  };
}

function mend(p: Schemas["RuleProblem"]) {
  const text = props.modelValue;
  emit("update:modelValue", text.slice(0, p.start) + p.suggestion + text.slice(p.end));
}
</script>

<template>
  <div>
    <label class="field-label" :for="id">{{ label }}</label>
    <textarea
      :id="id"
      class="line mono"
      :rows="rows"
      spellcheck="false"
      autocapitalize="off"
      :placeholder="placeholder"
      :value="modelValue"
      :aria-invalid="problems.some((p) => p.severity === 'error')"
      :aria-describedby="`${id}-problems`"
      @input="emit('update:modelValue', ($event.target as HTMLTextAreaElement).value)"
    />
    <ul :id="`${id}-problems`" class="problems">
      <li v-for="(p, i) in problems" :key="i" :class="p.severity">
        <code v-if="modelValue"
          >{{ marked(p).before }}<mark>{{ marked(p).at }}</mark
          >{{ marked(p).after }}</code
        >
        <span
          >{{ p.message
          }}<template v-if="modelValue"> (line {{ p.line }}, column {{ p.column }})</template></span
        >
        <button v-if="p.suggestion" type="button" class="plain" @click="mend(p)">
          Write {{ p.suggestion }}
        </button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.problems {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
  font-size: 12px;
}
.problems li {
  padding: 2px 0;
}
.problems .error {
  color: var(--refused);
}
.problems .warning {
  color: var(--default);
}
code {
  display: block;
  padding-bottom: 3px;
  white-space: pre-wrap;
  color: var(--ink);
}
mark {
  background: none;
  color: inherit;
  text-decoration: underline wavy var(--refused);
  text-underline-offset: 3px;
}
</style>
