<script setup lang="ts">
import { RouterLink } from "vue-router";
import type { Batch } from "@/queries/batches";

/** How far a batch is: what was announced, what is keyed, and what is left. */
defineProps<{ batch: Batch; plain?: boolean }>();
</script>

<template>
  <section class="progress" aria-label="Batch">
    <p v-if="!plain">
      <RouterLink :to="`/desk/batches/${batch.id}`">{{ batch.head.title }}</RouterLink>
      <span v-if="batch.state !== 'open'" class="quiet"> {{ batch.state }}</span>
    </p>
    <dl>
      <dt>Keyed</dt>
      <dd>
        {{ batch.number }}<template v-if="batch.head.count"> of {{ batch.head.count }}</template>
      </dd>
      <template v-if="batch.keyed.text">
        <dt>Total</dt>
        <dd>{{ batch.keyed.text }}</dd>
      </template>
      <template v-if="batch.announced.text">
        <dt>Announced</dt>
        <dd>{{ batch.announced.text }}</dd>
        <dt>Difference</dt>
        <dd :class="{ off: batch.difference.value !== '0' }">{{ batch.difference.text }}</dd>
      </template>
    </dl>
    <p v-if="batch.agrees" class="agrees" role="status">The batch agrees.</p>
  </section>
</template>

<style scoped>
.progress {
  border-bottom: 1px solid var(--rule);
  padding-bottom: 6px;
  margin-bottom: 8px;
}
p {
  margin: 0;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 1px 12px;
  margin: 4px 0;
}
dd {
  margin: 0;
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.off {
  color: var(--refused);
}
.agrees {
  color: var(--good);
}
</style>
