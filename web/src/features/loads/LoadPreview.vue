<script setup lang="ts">
import { computed } from "vue";
import type { KindEntry } from "@/api/client";
import { expected, type Load, type LoadEntry } from "@/queries/loads";

/** The first records of a file as they would stand: what is in the file by columns, what the rules give beneath. */
const props = defineProps<{ entries: LoadEntry[]; load: Load; entry: KindEntry }>();

const columns = computed(() => {
  const held = new Set(Object.values(props.load.setup.columns));
  return props.entry.kind.fields.filter((f) => held.has(f.key));
});
const headers = computed(() => columns.value.filter((f) => !f.key.startsWith("lines.")));
const ofLines = computed(() => columns.value.filter((f) => f.key.startsWith("lines.")));
const cell = (e: LoadEntry, field: string, line = 0) =>
  e.cells.find((c) => c.field === field && (c.line ?? 0) === line);
const lines = (e: LoadEntry) => [...new Set(e.cells.flatMap((c) => (c.line ? [c.line] : [])))];
/** What the rules give, and what is stored, in fields that the file does not fill. */
const given = (e: LoadEntry) =>
  e.cells
    .filter((c) => c.given === "rule" && c.text && !c.problem)
    .map((c) => `${c.label}${c.line ? ` in line ${c.line}` : ""} ${c.text}`);
</script>

<template>
  <p v-if="!entries.length" class="empty">No row of this file holds a record.</p>
  <div v-else class="wide" tabindex="0" role="region" aria-label="First rows">
    <table class="ledger preview">
      <thead>
        <tr>
          <th class="right">Row</th>
          <th><span class="visually-hidden">What becomes of it</span></th>
          <th v-for="f in headers" :key="f.key">{{ f.label }}</th>
          <th v-for="f in ofLines" :key="f.key">{{ f.label }}</th>
        </tr>
      </thead>
      <tbody v-for="e in entries" :key="e.row">
        <tr>
          <td class="right quiet">{{ e.row }}</td>
          <td class="nowrap" :class="e.what">
            <b>{{ expected[e.what] }}</b><template v-if="e.number"> {{ e.number }}</template>
          </td>
          <td v-for="f in headers" :key="f.key" :class="{ wrong: cell(e, f.key)?.problem }">
            <span :title="cell(e, f.key)?.problem">{{ cell(e, f.key)?.text || cell(e, f.key)?.typed }}</span>
            <s v-if="cell(e, f.key)?.text && cell(e, f.key)?.typed" class="quiet">
              {{ cell(e, f.key)?.typed }}</s
            >
          </td>
          <td v-for="f in ofLines" :key="f.key" :class="{ wrong: cell(e, f.key, lines(e)[0])?.problem }">
            {{ cell(e, f.key, lines(e)[0])?.text || cell(e, f.key, lines(e)[0])?.typed }}
          </td>
        </tr>
        <tr v-for="line in lines(e).slice(1)" :key="line">
          <td></td>
          <td></td>
          <td v-if="headers.length" :colspan="headers.length"></td>
          <td v-for="f in ofLines" :key="f.key" :class="{ wrong: cell(e, f.key, line)?.problem }">
            {{ cell(e, f.key, line)?.text || cell(e, f.key, line)?.typed }}
          </td>
        </tr>
        <tr v-if="e.messages.length || given(e).length" class="under">
          <td></td>
          <td :colspan="1 + columns.length">
            <span v-if="e.messages.length" :class="e.what">{{ e.messages.join("; ") }}</span>
            <span v-if="given(e).length" class="quiet"> Filled by rules: {{ given(e).join(", ") }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <p class="quiet">
      {{ entries.length === 1 ? "The first record" : `The first ${entries.length} records` }} of the file.
      Nothing is saved yet.
    </p>
  </div>
</template>

<style scoped>
.wide {
  overflow-x: auto;
}
.right {
  text-align: right;
}
.refuse,
.wrong {
  color: var(--refused);
}
.under td {
  border-top: 0;
  padding-top: 0;
  font-size: 12.5px;
}
td {
  vertical-align: top;
  white-space: nowrap;
  max-width: 190px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.under td {
  max-width: none;
}
.under td span {
  position: sticky;
  left: 0;
}
</style>
