<script setup lang="ts">
import { computed } from "vue";
import type { FormulaStep } from "@/api/client";
import { told } from "@/features/rules/formula/explanation";

const props = defineProps<{ steps: FormulaStep[] }>();
const emit = defineEmits<{ show: [start: number, end: number] }>();
const parts = computed(() => told(props.steps));
</script>

<template>
  <ol v-if="parts.length" class="steps" aria-label="How the value comes about">
    <li v-for="(p, i) in parts" :key="i" :style="{ paddingLeft: `${p.depth * 14}px` }">
      <button type="button" title="Show it in the formula" @click="emit('show', p.start, p.end)">
        <code
          ><template v-for="(piece, j) in p.text" :key="j"
            >{{ piece.text }}<b v-if="piece.value !== undefined">{{ piece.value }}</b></template
          ></code
        >
        is <strong>{{ p.value }}</strong>
      </button>
    </li>
  </ol>
  <p v-else class="quiet">It is a constant; there is nothing to explain.</p>
</template>

<style scoped>
.steps {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  font-size: 12px;
}
.steps li {
  border-top: 1px solid var(--rule);
}
button {
  border: 0;
  background: none;
  padding: 2px 0;
  font: inherit;
  color: inherit;
  text-align: left;
  cursor: pointer;
  overflow-wrap: anywhere;
}
code b {
  font: 600 11px/1.4 var(--sans);
  color: var(--source);
  margin: 0 2px 0 5px;
}
</style>
