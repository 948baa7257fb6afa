<script setup lang="ts">
/** What is wrong with a cell of a table, under it. */
defineProps<{ message: string }>();
</script>

<template>
  <div v-if="message" class="wrong">{{ message }}</div>
</template>

<style scoped>
.wrong {
  color: var(--refused);
  font-size: 12px;
}
</style>
