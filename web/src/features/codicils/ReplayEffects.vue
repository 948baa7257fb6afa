<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "@/api/client";
import { useCatalog } from "@/queries/catalog";
import { count, dayInWords } from "@/queries/format";

/** What a codicil would do to what exists, by kind, company and field. */
const props = defineProps<{ replay: Schemas["Replay"] }>();
const catalog = useCatalog();
const time = computed(() => {
  const f = props.replay;
  if (!f.since && !f.until) return "";
  if (!f.until) return `posted since ${dayInWords(f.since)}`;
  return f.since
    ? `posted from ${dayInWords(f.since)} to ${dayInWords(f.until)}`
    : `posted until ${dayInWords(f.until)}`;
});
</script>

<template>
  <p v-if="time" class="quiet">Only what was {{ time }}.</p>
  <table v-if="replay.effects.length" class="ledger" aria-label="By kind, company and field">
    <thead>
      <tr>
        <th>Kind</th>
        <th>Company</th>
        <th>Field</th>
        <th class="right">Records</th>
        <th class="right">Amounts move by</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="e in replay.effects" :key="`${e.kind} ${e.company} ${e.field}`">
        <td>{{ e.kindLabel }}</td>
        <td>{{ catalog.companyName(e.company) }}</td>
        <td :class="{ wrong: !e.field }">{{ e.label || "Refused, or asked a reason for" }}</td>
        <td class="right">{{ count(e.records) }}</td>
        <td class="right nowrap">
          <div v-for="m in e.moved" :key="m.currency">{{ m.text }} {{ m.currency }}</div>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
p {
  margin: 4px 0;
}
.right {
  text-align: right;
}
.wrong {
  color: var(--refused);
}
table {
  margin: 8px 0 12px;
}
td {
  vertical-align: top;
}
</style>
