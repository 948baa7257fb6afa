<script setup lang="ts" generic="Row">
import ExportRows from "@/ui/ExportRows.vue";
import type { List } from "@/ui/list";

/** Saves a list as it is shown. */
defineProps<{ name: string; list: List<Row> }>();
</script>

<template>
  <ExportRows
    v-if="list.rows.length"
    :name="name"
    :head="list.columns.map((c) => c.label)"
    :rows="list.sheet"
  />
</template>
