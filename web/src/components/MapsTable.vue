<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { ElOption, ElSelect } from "element-plus";
import { computed, onMounted, ref, watch } from "vue";
import { api, ask, type FollowOn, type Schemas } from "@/api/client";
import { ofLine } from "@/address";
import TroubleNote from "@/components/TroubleNote.vue";
import { useAttempt } from "@/composables/attempt";
import { inSentence } from "@/format";
import { useCatalog } from "@/stores/catalog";

const catalog = useCatalog();
const { problem, uses, count, busy, attempt } = useAttempt();
const maps = ref<FollowOn[]>([]);
const draft = ref<FollowOn>();
const wrong = ref<Schemas["PairProblem"][]>([]);

onMounted(refresh);
async function refresh() {
  await attempt(async () => {
    maps.value = await ask(api.GET("/follow-ons"));
  });
}
const label = (kind: string) => catalog.entry(kind)?.kind.label ?? kind;

function edit(map?: FollowOn) {
  problem.value = "";
  wrong.value = [];
  draft.value = map
    ? (JSON.parse(JSON.stringify(map)) as FollowOn)
    : { name: "", from: "quotation", to: "sales_order", type: "", pairs: [] };
}

// A misfit is said while the map is written, not when it is used.
const check = useDebounceFn(async () => {
  const map = draft.value;
  if (!map) return;
  const complete = map.pairs.every((p) => p.to);
  if (complete)
    wrong.value = await ask(api.POST("/follow-ons/check", { body: map })).catch(() => wrong.value);
}, 120);
watch(draft, check, { deep: true });
function wrongIn(pair: number) {
  return wrong.value.filter((w) => w.pair === pair).map((w) => w.message);
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
async function save() {
  const map = draft.value!;
  const kept = await attempt(() =>
    map.id
      ? ask(api.PUT("/follow-ons/{id}", { params: { path: { id: map.id } }, body: map }))
      : ask(api.POST("/follow-ons", { body: map })),
  );
  if (!kept) return;
  draft.value = undefined;
  await refresh();
}
async function remove() {
  const id = draft.value?.id;
  if (!id) return;
  if (!(await attempt(() => ask(api.DELETE("/follow-ons/{id}", { params: { path: { id } } }))))) return;
  draft.value = undefined;
  await refresh();
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
  <p v-if="!maps.length" class="empty">No record can follow another yet.</p>
  <form v-if="draft" class="edit" aria-label="Follow-on map" @submit.prevent="save">
    <h2>{{ draft.id ? draft.name : "New map" }}</h2>
    <TroubleNote :problem="problem" :uses="uses" :count="count" />
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
    <div class="buttons">
      <button type="submit" class="button first" :disabled="busy || wrong.length > 0">Save</button>
      <button type="button" class="button" @click="draft = undefined">Leave it</button>
      <button v-if="draft.id" type="button" class="button" :disabled="busy" @click="remove">Delete</button>
    </div>
  </form>
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
