<script setup lang="ts">
import { RouterLink, useRoute } from "vue-router";
import ChosenKind from "@/features/proofs/ChosenKind.vue";
import { useAttempt } from "@/queries/attempt";
import { format } from "@/queries/format";
import { startProofs } from "@/queries/runs";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useGoOn } from "@/ui/goOn";

/** The head of both screens of proofs: what was kept, and what it confirms. */
const route = useRoute();
const tried = useAttempt();
const going = useGoOn();

/** Runs the proofs of all records, and measures their strength, as long work. */
function everything() {
  const goOn = going();
  return tried.attempt(async () => {
    const run = await startProofs({ format: { ...format } });
    await goOn(`/runs?run=${run.id}`);
  });
}
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
    <span class="spring" />
    <button type="button" class="button" :disabled="tried.busy" @click="everything">Run all kinds</button>
  </div>
  <TroubleNote v-bind="tried.trouble" />
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
