<script setup lang="ts">
import { ref } from "vue";
import type { Merge } from "@/api/client";
import { moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const props = defineProps<{ merge: Merge }>();
const emit = defineEmits<{ done: [taken: { field: string; line?: number; value: string }[]]; close: [] }>();
const catalog = useCatalog();
/** For each clash, whether the other person's value is taken. */
const theirs = ref<boolean[]>(props.merge.clashes.map(() => false));

function finish() {
  const taken = props.merge.theirs.map((c) => ({ field: c.field, line: c.line, value: c.after.value }));
  props.merge.clashes.forEach((c, i) => {
    if (theirs.value[i]) taken.push({ field: c.field, line: c.line, value: c.theirs.value });
  });
  emit("done", taken);
}
const named = (field: string, line?: number) => catalog.label(field, line, props.merge.record.kind);
</script>

<template>
  <section class="merge" aria-label="Changed meanwhile">
    <h2>{{ merge.record.changedBy }} changed this record {{ moment(merge.record.changedAt) }}</h2>
    <p class="quiet">Nothing you typed is lost. Choose which value to use where you both changed a field.</p>
    <table v-if="merge.clashes.length" class="ledger">
      <thead>
        <tr>
          <th>Field</th>
          <th>Before</th>
          <th>Yours</th>
          <th>Theirs</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(c, i) in merge.clashes" :key="c.field + c.line">
          <td>{{ named(c.field, c.line) }}</td>
          <td class="quiet">{{ c.base.text || "blank" }}</td>
          <td>
            <label
              ><input v-model="theirs[i]" type="radio" :value="false" /> {{ c.mine.text || "blank" }}</label
            >
          </td>
          <td>
            <label
              ><input v-model="theirs[i]" type="radio" :value="true" /> {{ c.theirs.text || "blank" }}</label
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-for="c in merge.theirs" :key="c.field + c.line" class="other">
      {{ named(c.field, c.line) }}: {{ c.before.text || "blank" }} became
      <b>{{ c.after.text || "blank" }}</b>, which you did not change.
    </p>
    <div class="act">
      <button type="button" class="button first" @click="finish">Save both changes</button>
      <button type="button" class="button" @click="emit('close')">Continue editing</button>
    </div>
  </section>
</template>

<style scoped>
.merge {
  border-left: 3px solid var(--validate);
  background: var(--paper-raised);
  padding: 10px 14px;
  margin-bottom: 14px;
}
.other {
  margin: 4px 0;
}
.act {
  display: flex;
  gap: 8px;
  margin-top: 8px;
}
p {
  margin: 2px 0 6px;
}
.merge th {
  background: none;
}
</style>
