<script setup lang="ts">
import type { Use } from "@/api/client";
import UseList from "@/ui/UseList.vue";

defineProps<{ problem: string; uses: Use[]; count: number }>();
</script>

<template>
  <div v-if="problem" class="trouble" role="alert">
    <p>{{ problem }}</p>
    <UseList v-if="uses.length" :uses="uses" :count="count" />
  </div>
</template>

<style scoped>
.trouble {
  border-left: 3px solid var(--refused);
  background: var(--refused-wash);
  padding: 6px 12px;
  margin: 8px 0;
}
p {
  margin: 0;
}
</style>
