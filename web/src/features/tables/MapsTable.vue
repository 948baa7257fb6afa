<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed, ref } from "vue";
import { api, ask, type FollowOn } from "@/api/client";
import { ofLine } from "@/address";
import EntryForm from "@/ui/EntryForm.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useEntryForm } from "@/ui/entryForm";
import { useLiveCheck } from "@/ui/liveCheck";
import { inSentence } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const maps = ref<FollowOn[]>([]);
const path = (map: FollowOn) => ({ params: { path: { id: map.id! } } });
const { draft, adding, busy, trouble, edit, save, remove, leave, reload } = useEntryForm<FollowOn>({
  blank: () => ({ name: "", from: "quotation", to: "sales_order", type: "", pairs: [] }),
  save: (map, isNew) =>
    isNew
      ? ask(api.POST("/follow-ons", { body: map }))
      : ask(api.PUT("/follow-ons/{id}", { ...path(map), body: map })),
  remove: (map) => ask(api.DELETE("/follow-ons/{id}", path(map))),
  reload: async () => (maps.value = await ask(api.GET("/follow-ons"))),
});
void reload();

const label = (kind: string) => catalog.entry(kind)?.kind.label ?? kind;

// A misfit is said while the map is written, not when it is used.
const wrong = useLiveCheck(
  () => (draft.value?.pairs.every((p) => p.to) ? draft.value : undefined),
  (map) => ask(api.POST("/follow-ons/check", { body: map })),
);
function wrongIn(pair: number) {
  return (wrong.value ?? []).filter((w) => w.pair === pair).map((w) => w.message);
}

const from = computed(() => catalog.entry(draft.value?.from ?? ""));
const to = computed(() => catalog.entry(draft.value?.to ?? ""));
const constant = "constant";

function sourceOf(pair: FollowOn["pairs"][number]): string {
  return pair.from || constant;
}
function setSource(pair: FollowOn["pairs"][number], source: string) {
  pair.from = source === constant ? "" : source;
  if (pair.from) pair.constant = undefined;
}
function add() {
  draft.value?.pairs.push({ from: from.value?.kind.fields[0]?.key ?? "", to: "", line: 0 });
}
</script>

<template>
  <div class="page-head">
    <h1>Follow-on maps</h1>
    <span class="spring" />
    <button type="button" class="button" @click="edit()">Add a map</button>
  </div>
  <p class="quiet">How a record becomes the beginning of another: which value goes into which field.</p>
  <table class="ledger">
    <thead>
      <tr>
        <th>Name</th>
        <th>From</th>
        <th>To</th>
        <th>Type</th>
        <th>Values carried</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="m in maps" :key="m.id" :class="{ open: draft?.id === m.id }">
        <td class="serif">
          <button type="button" class="plain" @click="edit(m)">{{ m.name }}</button>
        </td>
        <td>{{ label(m.from) }}</td>
        <td>{{ label(m.to) }}</td>
        <td>{{ m.type ? catalog.typeName(m.type, m.to) : "chosen each time" }}</td>
        <td>{{ m.pairs.length }}</td>
      </tr>
    </tbody>
  </table>
  <TroubleNote v-if="!draft" v-bind="trouble" />
  <p v-if="!maps.length" class="empty">No record can follow another yet.</p>
  <EntryForm
    v-if="draft"
    label="Follow-on map"
    :title="adding ? 'New map' : draft.name"
    :trouble="trouble"
    :busy="busy"
    :adding="adding"
    :unsound="!!wrong?.length"
    @save="save"
    @leave="leave"
    @remove="remove"
  >
    <div class="fields">
      <label class="wide"
        ><span class="field-label">Name</span
        ><input v-model="draft.name" class="line" placeholder="Order from quotation" required
      /></label>
      <label
        ><span class="field-label">From</span>
        <select v-model="draft.from" class="line" aria-label="From the kind" :disabled="!!draft.pairs.length">
          <option v-for="k in catalog.kinds" :key="k.kind.key" :value="k.kind.key">{{ k.kind.label }}</option>
        </select></label
      >
      <label
        ><span class="field-label">To</span>
        <select v-model="draft.to" class="line" aria-label="To the kind" :disabled="!!draft.pairs.length">
          <option v-for="k in catalog.kinds" :key="k.kind.key" :value="k.kind.key">{{ k.kind.label }}</option>
        </select></label
      >
      <label
        ><span class="field-label">Type</span>
        <select v-model="draft.type" class="line" aria-label="Type of the new record">
          <option value="">chosen each time</option>
          <option v-for="t in to?.types" :key="t.key" :value="t.key">{{ t.label }}</option>
        </select></label
      >
    </div>
    <div v-for="(p, i) in draft.pairs" :key="i" class="pair">
      <ElSelect
        :model-value="sourceOf(p)"
        filterable
        :aria-label="`Source of pair ${i + 1}`"
        class="field"
        @change="setSource(p, $event)"
      >
        <ElOption value="#" :label="`number of the ${inSentence(from?.kind.label)}`" />
        <ElOption :value="constant" label="always the same:" />
        <ElOption
          v-for="f in from?.kind.fields"
          :key="f.key"
          :value="f.key"
          :label="ofLine(f.key) ? `${f.label} of the line` : f.label"
        />
      </ElSelect>
      <input
        v-if="!p.from"
        v-model="p.constant"
        class="line constant"
        :aria-label="`Constant of pair ${i + 1}`"
        placeholder="value"
      />
      <span class="quiet">goes into</span>
      <ElSelect
        v-model="p.to"
        filterable
        placeholder="field"
        :aria-label="`Target of pair ${i + 1}`"
        class="field"
      >
        <ElOption
          v-for="f in to?.kind.fields"
          :key="f.key"
          :value="f.key"
          :label="ofLine(f.key) ? `${f.label} of the line` : f.label"
        />
      </ElSelect>
      <label v-if="ofLine(p.to) && !ofLine(p.from ?? '')" class="own">
        of
        <select v-model.number="p.line" class="line" :aria-label="`Line of pair ${i + 1}`">
          <option :value="0">every line carried over</option>
          <option v-for="n in 5" :key="n" :value="n">a line of its own, number {{ n }}</option>
        </select>
      </label>
      <button
        type="button"
        class="plain"
        :aria-label="`Remove pair ${i + 1}`"
        @click="draft.pairs.splice(i, 1)"
      >
        ×
      </button>
      <p v-for="text in wrongIn(i)" :key="text" class="misfit" role="alert">{{ text }}</p>
    </div>
    <button type="button" class="plain" @click="add">Add a value</button>
  </EntryForm>
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
.own select {
  width: 200px;
}
.misfit {
  width: 100%;
  margin: 0 0 4px;
  color: var(--refused);
}
</style>
