<script setup lang="ts">
import { RouterLink } from "vue-router";
import type { Schemas } from "@/api/client";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

defineProps<{
  balances: Schemas["Balance"][];
  /** The kind of record that the balances are by. */
  kind: string;
}>();
const catalog = useCatalog();
</script>

<template>
  <p v-if="!balances.length" class="empty">
    Nothing was posted to one of the {{ inSentence(catalog.entry(kind)?.kind.plural) }} yet.
  </p>
  <table v-else class="ledger">
    <thead>
      <tr>
        <th>Company</th>
        <th>{{ catalog.entry(kind)?.kind.label }}</th>
        <th class="right">Debit</th>
        <th class="right">Credit</th>
        <th class="right">Balance</th>
        <th>Currency</th>
        <th class="right">Entries</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="b in balances" :key="b.company + b.key + b.currency">
        <td class="nowrap">{{ catalog.companyName(b.company) }}</td>
        <td>
          <RouterLink :to="`/records/${kind}/${b.key}`">{{ b.key }}</RouterLink> {{ b.title }}
        </td>
        <td class="right">{{ b.debit.text }}</td>
        <td class="right">{{ b.credit.text }}</td>
        <td class="right">
          <b>{{ b.balance.text }}</b>
        </td>
        <td>{{ b.currency }}</td>
        <td class="right">{{ b.entries }}</td>
      </tr>
    </tbody>
  </table>
</template>
