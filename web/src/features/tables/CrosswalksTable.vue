<script setup lang="ts">
import type { CrosswalkSummary } from "@/api/client";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import { computed } from "vue";
import CrosswalkEditor from "@/features/tables/CrosswalkEditor.vue";
import { useOpen } from "@/features/tables/open";
import { useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useCrosswalks } from "@/queries/tables";

/** Tables from codes to codes. Which one is open stands in the address. */
const { key, open, editing, saved } = useOpen("crosswalk");
const all = useCrosswalks();
const list = useList<CrosswalkSummary>(
  () => all.data ?? [],
  () => [
    { label: "Crosswalk", value: (c) => c.label },
    { label: "Key", value: (c) => c.key },
    { label: "From", value: (c) => c.keys.map((k) => k.label).join(", ") },
    { label: "To", value: (c) => c.results.map((r) => r.label).join(", ") },
    { label: "Rows", right: true, value: (c) => c.rows },
  ],
);

const session = useSession();
const mayChange = computed(() => session.may("tables.change") && session.everywhere);
</script>

<template>
  <CrosswalkEditor
    v-if="key() !== undefined"
    :key="editing"
    :crosswalk="key()!"
    @close="open()"
    @saved="saved"
  />
  <template v-else>
    <div class="page-head">
      <h1>Crosswalks</h1>
      <span class="quiet">From one or more codes to others; exact decimals and dates too.</span>
      <span class="spring" />
      <ListExport name="Crosswalks" :list="list" />
      <button v-if="mayChange" type="button" class="button" @click="open('')">Add a crosswalk</button>
    </div>
    <TroubleNote :problem="all.problem" :retry="all.reload" />
    <table class="ledger">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="c in list.rows" :key="c.key">
          <td>
            <button type="button" class="plain" @click="open(c.key)">{{ c.label }}</button>
            <div class="quiet">{{ c.note }}</div>
          </td>
          <td>
            <code>{{ c.key }}</code>
          </td>
          <td>{{ c.keys.map((k) => k.label).join(", ") }}</td>
          <td>{{ c.results.map((r) => r.label).join(", ") }}</td>
          <td class="right">{{ c.rows }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="all.data && !all.data.length" class="empty">
      There is no crosswalk yet. Tax rates by country, days by payment terms, our codes for theirs belong
      here. <button v-if="mayChange" type="button" class="plain" @click="open('')">Add a crosswalk</button>
    </p>
  </template>
</template>

<style scoped>
.right {
  text-align: right;
}
</style>
