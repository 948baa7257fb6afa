<script setup lang="ts">
import { useTemplateRef } from "vue";

/** Chooses a file: a button like any other, by pointer and by keys. The same file can be chosen again. */
defineProps<{ label: string; accept: string; first?: boolean; disabled?: boolean }>();
const emit = defineEmits<{ chosen: [file: File] }>();
const input = useTemplateRef<HTMLInputElement>("input");

function take() {
  const file = input.value?.files?.[0];
  if (file) emit("chosen", file);
  if (input.value) input.value.value = "";
}
</script>

<template>
  <button type="button" class="button" :class="{ first }" :disabled="disabled" @click="input?.click()">
    {{ label }}
  </button>
  <input
    ref="input"
    type="file"
    hidden
    :accept="accept"
    :disabled="disabled"
    :aria-label="label"
    @change="take"
  />
</template>
