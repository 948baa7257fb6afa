<script setup lang="ts">
import { RouterLink } from "vue-router";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import MoreRows from "@/ui/MoreRows.vue";
import { useList } from "@/ui/list";
import type { Pages } from "@/queries/client";
import type { LedgerName, Schemas } from "@/api/client";

const props = defineProps<{
  entries: Schemas["JournalEntry"][];
  ledger: LedgerName;
  withoutPosting?: boolean;
  /** Where further entries come from. */
  pages?: Pages<Schemas["JournalEntry"]>;
}>();
const list = useList<Schemas["JournalEntry"]>(
  () => props.entries,
  () => [
    { label: "Posting", value: (e) => e.posting, fileOnly: props.withoutPosting },
    { label: "Day", value: (e) => e.day, fileOnly: props.withoutPosting },
    { label: "Account", value: (e) => `${e.account} ${e.accountTitle}` },
    { label: "Partner", value: (e) => `${e.partner ?? ""} ${e.partnerTitle ?? ""}`.trim(), fileOnly: true },
    { label: "Text", value: (e) => e.text },
    { label: "Debit", right: true, value: (e) => ({ exact: e.debit.value }) },
    { label: "Credit", right: true, value: (e) => ({ exact: e.credit.value }) },
    { label: "Currency", value: (e) => e.currency },
  ],
);
/** A number, and the one to which it leads since its record was merged. */
const number = (then: string, now?: string) => (now ? `${then} → ${now}` : then);
</script>

<template>
  <p v-if="!entries.length" class="empty">No journal entries. Only accounting documents make them.</p>
  <ListExport v-if="entries.length && !withoutPosting" class="out" name="Journal" :list="list" />
  <table v-if="entries.length" class="ledger">
    <ListHead :list="list" />
    <tbody>
      <tr v-for="e in list.rows" :key="e.posting + e.line">
        <td v-if="!withoutPosting" class="nowrap">
          <RouterLink :to="`/ledger/${encodeURIComponent(e.posting)}?ledger=${ledger}&view=journal`">{{
            e.posting
          }}</RouterLink>
        </td>
        <td v-if="!withoutPosting" class="nowrap">{{ e.day }}</td>
        <td>
          {{ number(e.account, e.accountNow) }} {{ e.accountTitle }}
          <div v-if="e.partner" class="quiet">{{ number(e.partner, e.partnerNow) }} {{ e.partnerTitle }}</div>
        </td>
        <td class="quiet">{{ e.text }}</td>
        <td class="right">{{ e.debit.text }}</td>
        <td class="right">{{ e.credit.text }}</td>
        <td>{{ e.currency }}</td>
      </tr>
    </tbody>
  </table>
  <MoreRows v-if="pages" :pages="pages" what="entries" />
</template>
