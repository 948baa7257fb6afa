<script setup lang="ts" generic="Row">
import SortHead from "@/ui/SortHead.vue";
import type { List } from "@/ui/list";

/** The head of a list: every column sorts it. */
defineProps<{ list: List<Row> }>();
</script>

<template>
  <thead>
    <tr>
      <SortHead
        v-for="c in list.columns.filter((one) => !one.fileOnly)"
        :key="c.label"
        :column="c.label"
        :sorting="list.sorting"
        :class="[{ right: c.right }, c.head]"
        >{{ c.label }}</SortHead
      >
      <!-- Columns that are no data. -->
      <slot />
    </tr>
  </thead>
</template>
