<script setup lang="ts">
import DateInput from "@/ui/DateInput.vue";
import { computed } from "vue";
import ShownPicker from "@/features/plan/ShownPicker.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import { dayInWords } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import type { Scope } from "@/queries/plan";

defineProps<{
  scope: Scope;
  /** The day of the document whose rules are shown, where it is another than that on which the work is done. */
  day?: string;
}>();
const emit = defineEmits<{ change: [Partial<Scope>] }>();
const catalog = useCatalog();

/** What a type of this kind is called, in one word: group, type, class. */
const typeWord = computed(() => catalog.kind?.kind.typeLabel.split(" ").pop()?.toLowerCase());
</script>

<template>
  <h1 class="scope">
    <SentencePicker
      :value="scope.kind"
      label="Kind of record"
      :options="catalog.kindOptions()"
      @change="emit('change', { kind: $event })"
    />
    of {{ typeWord }}
    <SentencePicker
      :value="scope.type"
      :label="catalog.kind?.kind.typeLabel ?? ''"
      :options="catalog.typeOptions(scope.company)"
      @change="emit('change', { type: $event })"
    />
    in
    <SentencePicker
      :value="scope.company"
      label="Company"
      :options="catalog.companyOptions"
      @change="emit('change', { company: $event })"
    />
    <template v-if="day && day !== scope.day">
      <span class="comma"
        >, on <b title="The document's own date">{{ dayInWords(day) }}</b></span
      >
      <span class="as-if">as if today were</span>
    </template>
    <span v-else class="comma">, on</span>
    <span class="day">
      {{ dayInWords(scope.day) }}
      <DateInput
        :model-value="scope.day"
        label="Day"
        @update:model-value="/^\d{4}-/.test($event) && emit('change', { day: $event })"
      />
    </span>
    <span class="comma">,</span>
    <ShownPicker />
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
.as-if,
.as-if + .day {
  font-size: 15px;
}
.comma {
  margin-left: -8px;
}
.day {
  position: relative;
  font-weight: 600;
  border-bottom: 1px dotted var(--ink);
}
.day :deep(.date-input) {
  position: absolute;
  inset: -3px -4px;
  opacity: 0;
}
.day:focus-within :deep(.date-input) {
  opacity: 1;
}
.day:focus-within {
  outline: 2px solid var(--focus);
}
</style>
