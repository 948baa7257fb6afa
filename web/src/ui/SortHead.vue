<script setup lang="ts">
/** The head of a column by which rows can be sorted. */
defineProps<{ column: string; sorting: { by: string; down: boolean; toggle: (column: string) => void } }>();
</script>

<template>
  <th
    scope="col"
    :aria-sort="sorting.by === column ? (sorting.down ? 'descending' : 'ascending') : undefined"
  >
    <button type="button" class="sort" @click="sorting.toggle(column)">
      <slot /><span aria-hidden="true" class="arrow">{{
        sorting.by === column ? (sorting.down ? "↓" : "↑") : ""
      }}</span>
    </button>
  </th>
</template>

<style scoped>
.sort {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
  white-space: nowrap;
}
.sort:hover {
  text-decoration: underline;
}
.arrow {
  display: inline-block;
  min-width: 12px;
  padding-left: 3px;
}
/* Over figures the arrow stands before the words, so that these end where the figures do. */
.right .sort {
  position: relative;
}
.right .arrow {
  position: absolute;
  right: 100%;
  min-width: 0;
  padding: 0 3px 0 0;
}
</style>
