<script setup lang="ts">
import { RouterLink, useRoute } from "vue-router";
import ChosenKind from "@/features/proofs/ChosenKind.vue";

/** The head of both screens of proofs: what was kept, and what it confirms. */
const route = useRoute();
</script>

<template>
  <div class="page-head">
    <h1 class="of">Proofs for <ChosenKind /></h1>
    <nav aria-label="Proofs">
      <RouterLink to="/proofs" :class="{ here: route.path === '/proofs' }">All proofs</RouterLink>
      <RouterLink to="/proofs/confirmed" :class="{ here: route.path === '/proofs/confirmed' }"
        >Coverage</RouterLink
      >
    </nav>
    <slot />
  </div>
</template>

<style scoped>
nav {
  display: flex;
  gap: 14px;
}
nav a {
  color: var(--ink-soft);
  text-decoration: none;
  border-bottom: 2px solid transparent;
}
nav .here {
  color: var(--ink);
  border-bottom-color: var(--ink);
}
</style>
