<script setup lang="ts">
import type { Codicil, Schemas } from "@/api/client";
import { count, moment } from "@/queries/format";

/** What stands under a codicil on paper: by what it is recognised later. */
defineProps<{ codicil: Codicil; filed: Schemas["CodicilFiled"] }>();
</script>

<template>
  <section class="filed" aria-label="Hashes">
    <h2>Hashes</h2>
    <dl>
      <dt>What it says and changes, SHA-256</dt>
      <dd>{{ filed.contents }}</dd>
      <template v-if="filed.book">
        <dt>
          Rules, tables and added fields after it, version {{ count(codicil.book ?? 0) }} of the rule book
        </dt>
        <dd>{{ filed.book }}</dd>
      </template>
      <template v-if="filed.trail">
        <dt>The trail until it came into force, entry {{ count(filed.entry ?? 0) }}</dt>
        <dd>{{ filed.trail }}</dd>
      </template>
    </dl>
    <p class="quiet">Printed {{ moment(filed.at) }} by {{ filed.by }}.</p>
  </section>
</template>

<style scoped>
dl {
  margin: 4px 0;
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0 0 4px;
  font: 12px/1.4 var(--mono, monospace);
  overflow-wrap: anywhere;
}
</style>
