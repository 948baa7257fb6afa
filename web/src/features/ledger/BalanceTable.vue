<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { RouterLink } from "vue-router";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import type { Schemas } from "@/api/client";
import { count, inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const props = defineProps<{
  balances: Schemas["Balance"][];
  /** The kind of record that the balances are by. */
  kind: string;
}>();
const catalog = useCatalog();
const list = useList<Schemas["Balance"]>(
  () => props.balances,
  () => [
    { label: "Company", value: (b) => catalog.companyName(b.company) },
    { label: catalog.entry(props.kind)?.kind.label ?? "", value: (b) => `${b.key} ${b.title}` },
    { label: "Debit", right: true, value: (b) => ({ exact: b.debit.value }) },
    { label: "Credit", right: true, value: (b) => ({ exact: b.credit.value }) },
    { label: "Balance", right: true, value: (b) => ({ exact: b.balance.value }) },
    { label: "Currency", value: (b) => b.currency },
    { label: "Entries", right: true, value: (b) => b.entries },
  ],
);
</script>

<template>
  <p v-if="!balances.length" class="empty">
    Nothing was posted to one of the {{ inSentence(catalog.entry(kind)?.kind.plural) }} yet.
  </p>
  <ListExport v-if="balances.length" class="out" name="Balances" :list="list" />
  <table v-if="balances.length" class="ledger">
    <ListHead :list="list" />
    <tbody>
      <tr v-for="b in list.rows" :key="b.company + b.key + b.currency">
        <td class="nowrap">{{ catalog.companyName(b.company) }}</td>
        <td>
          <RouterLink :to="recordPlace(kind, b.key)">{{ b.key }}</RouterLink> {{ b.title }}
        </td>
        <td class="right">{{ b.debit.text }}</td>
        <td class="right">{{ b.credit.text }}</td>
        <td class="right">
          <b>{{ b.balance.text }}</b>
        </td>
        <td>{{ b.currency }}</td>
        <td class="right">{{ count(b.entries) }}</td>
      </tr>
    </tbody>
  </table>
</template>
