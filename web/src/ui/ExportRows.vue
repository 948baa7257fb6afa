<script setup lang="ts">
import { api, ask, type Schemas } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Saves the rows of a list as they are shown. */
const props = defineProps<{
  /** The name of the file. */
  name: string;
  head: string[];
  rows: () => Schemas["SheetCell"][][];
}>();
const tried = useAttempt();

async function save(as: "csv" | "xlsx") {
  await tried.attempt(async () => {
    const body = { as, head: props.head, rows: props.rows() };
    const file = (await ask(api.POST("/sheets", { body, parseAs: "blob" }) as never)) as Blob;
    const link = document.createElement("a");
    link.href = URL.createObjectURL(file);
    link.download = `${props.name}.${as}`;
    link.click();
    URL.revokeObjectURL(link.href);
  });
}
</script>

<template>
  <span class="export" role="group" aria-label="Export">
    Export
    <button type="button" class="plain" :disabled="tried.busy" @click="save('csv')">CSV</button>
    <button type="button" class="plain" :disabled="tried.busy" @click="save('xlsx')">XLSX</button>
    <TroubleNote v-bind="tried.trouble" />
  </span>
</template>

<style scoped>
.export {
  color: var(--ink-soft);
  white-space: nowrap;
}
.export .plain {
  color: var(--ink);
}
</style>
