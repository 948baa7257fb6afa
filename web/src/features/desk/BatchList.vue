<script setup lang="ts">
import { RouterLink } from "vue-router";
import { batchState } from "@/features/desk/batchList";
import type { Batch } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import { moment } from "@/queries/format";
import type { List } from "@/ui/list";
import ListHead from "@/ui/ListHead.vue";

/** Batches with how far they are. */
defineProps<{ list: List<Batch> }>();
const catalog = useCatalog();
</script>

<template>
  <table v-if="list.rows.length" class="ledger">
    <ListHead :list="list">
      <th><span class="visually-hidden">Key</span></th>
    </ListHead>
    <tbody>
      <tr v-for="b in list.rows" :key="b.id">
        <td>
          <RouterLink :to="`/desk/batches/${b.id}`">{{ b.head.title }}</RouterLink>
        </td>
        <td>
          {{ catalog.entry(b.kind)?.kind.plural ?? b.kind }}
          <div class="quiet">
            {{ catalog.typeName(b.type, b.kind) }}, {{ catalog.companyName(b.company) }}
          </div>
        </td>
        <td>{{ batchState(b) }}</td>
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
