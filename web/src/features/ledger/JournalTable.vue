<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import type { LedgerName, Schemas } from "@/api/client";

const props = defineProps<{
  entries: Schemas["JournalEntry"][];
  ledger: LedgerName;
  withoutPosting?: boolean;
}>();
const most = ref(300);
const shown = computed(() => props.entries.slice(0, most.value));
</script>

<template>
  <p v-if="!entries.length" class="empty">No journal entries. Only accounting documents make them.</p>
  <table v-else class="ledger">
    <thead>
      <tr>
        <th v-if="!withoutPosting">Posting</th>
        <th v-if="!withoutPosting">Day</th>
        <th>Account</th>
        <th>Text</th>
        <th class="right">Debit</th>
        <th class="right">Credit</th>
        <th>Currency</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="e in shown" :key="e.posting + e.line">
        <td v-if="!withoutPosting" class="nowrap">
          <RouterLink :to="`/ledger/${e.posting}?ledger=${ledger}&view=journal`">{{ e.posting }}</RouterLink>
        </td>
        <td v-if="!withoutPosting" class="nowrap">{{ e.day }}</td>
        <td>
          {{ e.account }} {{ e.accountTitle }}
          <div v-if="e.partner" class="quiet">{{ e.partner }} {{ e.partnerTitle }}</div>
        </td>
        <td class="quiet">{{ e.text }}</td>
        <td class="right">{{ e.debit.text }}</td>
        <td class="right">{{ e.credit.text }}</td>
        <td>{{ e.currency }}</td>
      </tr>
    </tbody>
  </table>
  <button v-if="entries.length > shown.length" type="button" class="plain" @click="most += 300">
    Show more of the {{ entries.length }}
  </button>
</template>
