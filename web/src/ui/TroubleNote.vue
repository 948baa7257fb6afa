<script setup lang="ts">
import type { Use } from "@/api/client";
import UseList from "@/ui/UseList.vue";

/** Why something is not there or was not done; the one way in which screens say so. */
defineProps<{ problem?: string; uses?: Use[]; count?: number; retry?: () => unknown }>();
</script>

<template>
  <div v-if="problem" class="trouble" role="alert">
    <p>
      {{ problem }}
      <button v-if="retry" class="plain" type="button" @click="retry()">Try again</button>
    </p>
    <UseList v-if="uses?.length" :uses="uses" :count="count" />
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
