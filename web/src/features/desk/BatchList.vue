<script setup lang="ts">
import { RouterLink } from "vue-router";
import type { Batch } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import { moment } from "@/queries/format";

/** Batches with how far they are. */
defineProps<{ batches: Batch[] }>();
const catalog = useCatalog();
</script>

<template>
  <table v-if="batches.length" class="ledger">
    <thead>
      <tr>
        <th>Batch</th>
        <th>Of</th>
        <th>State</th>
        <th class="right">Keyed</th>
        <th class="right">Total</th>
        <th class="right">Difference</th>
        <th>Announced</th>
        <th><span class="visually-hidden">Key</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="b in batches" :key="b.id">
        <td>
          <RouterLink :to="`/desk/batches/${b.id}`">{{ b.head.title }}</RouterLink>
        </td>
        <td>
          {{ catalog.entry(b.kind)?.kind.plural ?? b.kind }}
          <div class="quiet">
            {{ catalog.typeName(b.type, b.kind) }}, {{ catalog.companyName(b.company) }}
          </div>
        </td>
        <td>{{ b.agrees && b.state === "open" ? "agrees" : b.state }}</td>
        <td class="right">
          {{ b.number }}<template v-if="b.head.count"> of {{ b.head.count }}</template>
        </td>
        <td class="right">{{ b.keyed.text }}</td>
        <td class="right">{{ b.difference.text }}</td>
        <td>
          {{ moment(b.made.at) }} <span class="quiet">{{ b.made.by }}</span>
        </td>
        <td>
          <RouterLink v-if="b.state === 'open'" :to="`/desk/${b.kind}?batch=${b.id}`">Key</RouterLink>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.right {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
