<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";

/** A choice within a heading that reads as a sentence. */
defineProps<{
  value: string;
  label: string;
  options: { value: string; label: string }[];
  /** What stands there while the value is blank. */
  blank?: string;
  disabled?: boolean;
}>();
const emit = defineEmits<{ change: [value: string] }>();
</script>

<template>
  <ElSelect
    class="in-sentence"
    :model-value="value"
    :aria-label="label"
    :placeholder="blank"
    :fit-input-width="false"
    :disabled="disabled"
    @change="emit('change', $event)"
  >
    <ElOption v-if="blank" value="" :label="blank" />
    <ElOption v-for="o in options" :key="o.value" :value="o.value" :label="o.label" />
  </ElSelect>
</template>
