<script setup lang="ts">
import { onMounted, ref } from "vue";

defineProps<{
  label: string;
  /** It does not go before what it asks is done. */
  staying?: boolean;
}>();
const emit = defineEmits<{ close: [] }>();
const dialog = ref<HTMLDialogElement>();
onMounted(() => dialog.value?.showModal());

function outside(event: MouseEvent) {
  if (event.target === dialog.value) emit("close");
}
</script>

<template>
  <dialog
    ref="dialog"
    :aria-label="label"
    @cancel="staying && $event.preventDefault()"
    @close="emit('close')"
    @click="outside"
  >
    <div class="sheet"><slot /></div>
  </dialog>
</template>

<style scoped>
dialog {
  border: 1px solid var(--rule-strong);
  border-radius: 4px;
  background: var(--paper-raised);
  color: var(--ink);
  padding: 0;
  margin-top: 12vh;
  width: min(520px, 92vw);
  overflow: visible;
}
dialog::backdrop {
  background: rgb(10 15 25 / 35%);
}
.sheet {
  padding: 16px 18px;
}
</style>
