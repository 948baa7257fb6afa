<script setup lang="ts">
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import FormulaEditor from "@/features/rules/FormulaEditor.vue";
import { api, ask, type FollowOn } from "@/api/client";
import { ofLine } from "@/api/address";
import TableEditor from "@/ui/TableEditor.vue";
import { useFollowOns } from "@/queries/tables";
import { useList } from "@/ui/list";
import { useTableEditor } from "@/ui/tableEditor";
import { useWhileTyping } from "@/queries/whileTyping";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const maps = useFollowOns();
const path = (map: FollowOn) => ({ params: { path: { id: map.id! } } });
const table = useTableEditor<FollowOn>({
  blank: () => ({ name: "", from: kinds.value[0] ?? "", to: kinds.value[0] ?? "", type: "", pairs: [] }),
  save: (map, isNew) =>
    isNew ? api.POST("/follow-ons", { body: map }) : api.PUT("/follow-ons/{id}", { ...path(map), body: map }),
  remove: (map) => api.DELETE("/follow-ons/{id}", path(map)),
});
const kinds = computed(() => catalog.kinds.map((k) => k.kind.key));

const label = (kind: string) => catalog.entry(kind)?.kind.label ?? kind;

// A misfit is said while the map is written, not when it is used.
const wrong = useWhileTyping(
  () => (table.draft?.pairs.every((p) => p.to) ? table.draft : undefined),
  (map, signal) => ask(api.POST("/follow-ons/check", { body: map, signal })),
);
function wrongIn(pair: number) {
  return (wrong.answer ?? []).filter((w) => w.pair === pair);
}

const list = useList<FollowOn>(
  () => maps.data ?? [],
  () => [
    { label: "Name", value: (m) => m.name },
    { label: "From", value: (m) => label(m.from) },
    { label: "To", value: (m) => label(m.to) },
    { label: "Type", value: (m) => (m.type ? catalog.typeName(m.type, m.to) : "chosen each time") },
    { label: "Values carried", value: (m) => m.pairs.length },
    { label: "Offered for", fileOnly: true, value: (m) => (m.types ?? []).join(", ") },
    { label: "When", fileOnly: true, value: (m) => m.when },
  ],
);
const from = computed(() => catalog.entry(table.draft?.from ?? ""));
const to = computed(() => catalog.entry(table.draft?.to ?? ""));
const constant = "constant";

function sourceOf(pair: FollowOn["pairs"][number]): string {
  return pair.from || constant;
}
function setSource(pair: FollowOn["pairs"][number], source: string) {
  pair.from = source === constant ? "" : source;
  if (pair.from) pair.constant = undefined;
}
const types = computed({
  get: () => table.draft?.types ?? [],
  set: (keys) => table.draft && (table.draft.types = keys),
});
const when = computed({
  get: () => table.draft?.when ?? "",
  set: (text) => table.draft && (table.draft.when = text),
});
function add() {
  table.draft?.pairs.push({ from: from.value?.kind.fields[0]?.key ?? "", to: "", line: 0 });
}
</script>

<template>
  <TableEditor
    :table="table"
    title="Carry-over maps"
    add="Add a map"
    :list="list"
    form="Carry-over map"
    :form-title="table.adding ? 'New map' : (table.draft?.name ?? '')"
    :empty="maps.data && !maps.data.length ? 'No record can follow another yet.' : ''"
    :problem="maps.problem"
    :retry="maps.reload"
    :unsound="!!wrong.answer?.some((w) => !w.warning)"
  >
    <template #about>Which values are carried over when a record is created from another.</template>
    <template #rows>
      <tr v-for="m in list.rows" :key="m.id" :class="{ open: table.draft?.id === m.id }">
        <td class="serif">
          <button type="button" class="plain" @click="table.edit(m)">{{ m.name }}</button>
        </td>
        <td>
          {{ label(m.from) }}
          <span v-if="m.types?.length" class="quiet">{{
            m.types.map((t) => catalog.typeName(t, m.from)).join(", ")
          }}</span>
          <div v-if="m.when" class="quiet">
            <code>{{ m.when }}</code>
          </div>
        </td>
        <td>{{ label(m.to) }}</td>
        <td>{{ m.type ? catalog.typeName(m.type, m.to) : "chosen each time" }}</td>
        <td>{{ m.pairs.length }}</td>
      </tr>
    </template>
    <template v-if="table.draft" #default>
      <div class="fields">
        <label class="wide"
          ><span class="field-label">Name</span
          ><input v-model="table.draft.name" class="line" placeholder="Order from quotation" required
        /></label>
        <label
          ><span class="field-label">From</span>
          <SelectBox
            v-model="table.draft.from"
            label="From the kind"
            :disabled="!!table.draft.pairs.length"
            :options="catalog.kinds.map((k) => ({ value: k.kind.key, label: k.kind.label }))"
        /></label>
        <label
          ><span class="field-label">To</span>
          <SelectBox
            v-model="table.draft.to"
            label="To the kind"
            :disabled="!!table.draft.pairs.length"
            :options="catalog.kinds.map((k) => ({ value: k.kind.key, label: k.kind.label }))"
        /></label>
        <label
          ><span class="field-label">Type</span>
          <SelectBox
            v-model="table.draft.type"
            label="Type of the new record"
            :options="[
              { value: '', label: 'chosen each time' },
              ...(to?.types ?? []).map((t) => ({ value: t.key, label: t.label })),
            ]"
        /></label>
      </div>
      <div class="fields">
        <label class="wide"
          ><span class="field-label">Offered for</span>
          <SelectBox
            v-model="types"
            multiple
            :label="`Types of the ${inSentence(from?.kind.label)} that is followed`"
            placeholder="every type"
            :options="(from?.types ?? []).map((t) => ({ value: t.key, label: t.label }))"
        /></label>
      </div>
      <div v-if="from?.kind.fields[0]" class="when">
        <FormulaEditor
          :key="table.draft.from"
          v-model="when"
          label="and only when"
          part="when"
          placeholder="always"
          :rule="{ kind: table.draft.from, target: from.kind.fields[0].key, family: 'validate' }"
        />
        <p v-for="w in wrongIn(-1)" :key="w.message" class="misfit" role="alert">{{ w.message }}</p>
      </div>
      <div v-for="(p, i) in table.draft.pairs" :key="i" class="pair">
        <SelectBox
          :model-value="sourceOf(p)"
          :label="`Source of pair ${i + 1}`"
          class="field"
          :options="[
            { value: '#', label: `number of the ${inSentence(from?.kind.label)}` },
            { value: constant, label: 'always the same:' },
            ...(from?.kind.fields ?? []).map((f) => ({
              value: f.key,
              label: ofLine(f.key) ? `${f.label} of the line` : f.label,
            })),
          ]"
          @change="setSource(p, $event)"
        />
        <input
          v-if="!p.from"
          v-model="p.constant"
          class="line constant"
          :aria-label="`Constant of pair ${i + 1}`"
          placeholder="value"
        />
        <span class="quiet">goes into</span>
        <SelectBox
          v-model="p.to"
          placeholder="field"
          :label="`Target of pair ${i + 1}`"
          class="field"
          :options="
            (to?.kind.fields ?? []).map((f) => ({
              value: f.key,
              label: ofLine(f.key) ? `${f.label} of the line` : f.label,
            }))
          "
        />
        <label v-if="ofLine(p.to) && !ofLine(p.from ?? '')" class="own">
          of
          <SelectBox
            v-model="p.line"
            :label="`Line of pair ${i + 1}`"
            :options="[
              { value: 0, label: 'every line carried over' },
              ...Array.from({ length: 5 }, (_, i) => i + 1).map((n) => ({
                value: n,
                label: `a line of its own, number ${n}`,
              })),
            ]"
          />
        </label>
        <button
          type="button"
          class="plain"
          :aria-label="`Remove pair ${i + 1}`"
          @click="table.draft.pairs.splice(i, 1)"
        >
          ×
        </button>
        <p
          v-for="w in wrongIn(i)"
          :key="w.message"
          class="misfit"
          :class="{ advice: w.warning }"
          role="alert"
        >
          {{ w.message }}
        </p>
      </div>
      <button type="button" class="plain" @click="add">Add a value</button>
      <ThingHistory v-if="table.draft.id" what="map" :of="String(table.draft.id)" />
    </template>
  </TableEditor>
</template>

<style scoped>
.pair {
  display: flex;
  align-items: center;
  gap: 8px;
  flex-wrap: wrap;
  padding: 2px 0;
}
.field {
  width: 230px;
}
.constant {
  width: 120px;
}
.own {
  display: flex;
  gap: 6px;
  align-items: center;
}
.own .el-select {
  width: 200px;
}
.misfit {
  width: 100%;
  margin: 0 0 4px;
  color: var(--refused);
}
.misfit.advice {
  color: var(--default);
}
.when {
  max-width: 560px;
  margin: 4px 0 12px;
}
</style>
