<script setup lang="ts">
import { ref } from "vue";

/** An input whose text is taken when it is left; until then nothing that happens elsewhere changes it. */
const props = defineProps<{ value: string }>();
const emit = defineEmits<{ take: [text: string] }>();
const draft = ref<string>();

function leave() {
  const text = draft.value;
  draft.value = undefined;
  if (text !== undefined && text !== props.value) emit("take", text);
}
</script>

<template>
  <input
    class="line"
    autocomplete="off"
    :value="draft ?? value"
    @input="draft = ($event.target as HTMLInputElement).value"
    @blur="leave"
    @keydown.enter="leave"
  />
</template>
