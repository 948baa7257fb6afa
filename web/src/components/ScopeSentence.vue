<script setup lang="ts">
import { ElDatePicker, ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import { dayInWords } from "@/format";
import { useCatalog } from "@/stores/catalog";
import type { Scope } from "@/stores/plan";

const props = defineProps<{ scope: Scope }>();
const emit = defineEmits<{ change: [Partial<Scope>] }>();
const catalog = useCatalog();

const types = computed(() =>
  (catalog.kind?.types ?? []).filter(
    (t) => !t.companies?.length || t.companies.includes(props.scope.company),
  ),
);
</script>

<template>
  <h1 class="scope">
    <em>{{ catalog.kind?.kind.plural }}</em> of group
    <ElSelect
      :model-value="scope.type"
      class="in-sentence"
      :aria-label="catalog.kind?.kind.typeLabel"
      :fit-input-width="false"
      @change="emit('change', { type: $event })"
    >
      <template #label>{{ catalog.typeName(scope.type) }}</template>
      <ElOption v-for="t in types" :key="t.key" :value="t.key" :label="t.label" />
    </ElSelect>
    in
    <ElSelect
      :model-value="scope.company"
      class="in-sentence"
      aria-label="Company"
      :fit-input-width="false"
      @change="emit('change', { company: $event })"
    >
      <ElOption
        v-for="c in catalog.catalog?.companies"
        :key="c.key"
        :value="c.key"
        :label="`${c.key} ${c.name}`"
      />
    </ElSelect>
    <span class="comma">, on</span>
    <span class="day">
      {{ dayInWords(scope.day) }}
      <ElDatePicker
        :model-value="scope.day"
        type="date"
        value-format="YYYY-MM-DD"
        :clearable="false"
        aria-label="Day"
        @update:model-value="emit('change', { day: $event })"
      />
    </span>
  </h1>
</template>

<style scoped>
.scope {
  font-weight: 400;
  font-size: 20px;
  display: flex;
  align-items: baseline;
  flex-wrap: wrap;
  column-gap: 6px;
  white-space: nowrap;
}
.scope em {
  font-weight: 600;
}
.in-sentence {
  width: auto;
  min-width: 80px;
}
.in-sentence :deep(.el-select__wrapper) {
  background: none;
  box-shadow: none;
  border-bottom: 1px dotted var(--ink);
  border-radius: 0;
  padding: 0 2px;
  min-height: 26px;
  gap: 2px;
  font: inherit;
}
.in-sentence :deep(.el-select__wrapper.is-focused) {
  outline: 2px solid var(--focus);
}
.in-sentence :deep(.el-select__placeholder) {
  font: 600 20px/26px var(--serif);
  color: var(--ink);
  position: static;
  transform: none;
  overflow: visible;
}
.in-sentence :deep(.el-select__input-wrapper) {
  position: absolute;
}
.comma {
  margin-left: -8px;
}
.day {
  position: relative;
  font-weight: 600;
  border-bottom: 1px dotted var(--ink);
}
.day :deep(.el-date-editor) {
  position: absolute;
  inset: 0;
  width: 100%;
  opacity: 0;
}
.day:focus-within {
  outline: 2px solid var(--focus);
}
</style>
