<script setup lang="ts">
import { ElDatePicker, ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import { dayInWords } from "@/format";
import { useCatalog } from "@/stores/catalog";
import type { Scope } from "@/stores/plan";

const props = defineProps<{ scope: Scope }>();
const emit = defineEmits<{ change: [Partial<Scope>] }>();
const catalog = useCatalog();

const types = computed(() => catalog.typesIn(props.scope.company));
/** What a type of this kind is called, in one word: group, type, class. */
const typeWord = computed(() => catalog.kind?.kind.typeLabel.split(" ").pop()?.toLowerCase());
</script>

<template>
  <h1 class="scope">
    <ElSelect
      :model-value="scope.kind"
      class="in-sentence"
      aria-label="Kind of record"
      :fit-input-width="false"
      @change="emit('change', { kind: $event })"
    >
      <template #label>{{ catalog.kind?.kind.plural }}</template>
      <ElOption v-for="k in catalog.kinds" :key="k.kind.key" :value="k.kind.key" :label="k.kind.plural" />
    </ElSelect>
    of {{ typeWord }}
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
