<script setup lang="ts">
import { computed, ref } from "vue";
import { useRoute } from "vue-router";
import { api, ask, type Type } from "@/api/client";
import KindPicker from "@/components/KindPicker.vue";
import TroubleNote from "@/components/TroubleNote.vue";
import { useAttempt } from "@/composables/attempt";
import { inSentence } from "@/format";
import { useCatalog } from "@/stores/catalog";

const catalog = useCatalog();
const route = useRoute();
const { problem, uses, count, busy, attempt } = useAttempt();
const entry = computed(() => catalog.entry(String(route.query.kind ?? "")) ?? catalog.kinds[0]);
const draft = ref<Type>();
const adding = ref(false);
const word = computed(() => inSentence(entry.value?.kind.typeLabel) ?? "type");

function edit(type?: Type) {
  adding.value = !type;
  problem.value = "";
  draft.value = type
    ? { ...type, companies: [...(type.companies ?? [])] }
    : { kind: entry.value!.kind.key, key: "", label: "", companies: [] };
}
function toggle(company: string) {
  const used = draft.value!.companies ?? [];
  draft.value!.companies = used.includes(company) ? used.filter((c) => c !== company) : [...used, company];
}
async function save() {
  const type = draft.value!;
  const params = { path: { kind: type.kind, key: type.key } };
  if (!(await attempt(() => ask(api.PUT("/types/{kind}/{key}", { params, body: type }))))) return;
  await catalog.load();
  draft.value = undefined;
}
async function remove() {
  const params = { path: { kind: draft.value!.kind, key: draft.value!.key } };
  if (!(await attempt(() => ask(api.DELETE("/types/{kind}/{key}", { params }))))) return;
  await catalog.load();
  draft.value = undefined;
}
</script>

<template>
  <div class="page-head">
    <h1 class="of">Types of <KindPicker @change="draft = undefined" /></h1>
    <span class="spring" />
    <button type="button" class="button" @click="edit()">Add a {{ word }}</button>
  </div>
  <table class="ledger">
    <thead>
      <tr>
        <th>Key</th>
        <th>{{ entry?.kind.typeLabel }}</th>
        <th>Used in</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="t in entry?.types" :key="t.key" :class="{ open: draft?.key === t.key }">
        <td>
          <button type="button" class="plain" @click="edit(t)">{{ t.key }}</button>
        </td>
        <td class="serif">{{ t.label }}</td>
        <td>{{ t.companies?.length ? t.companies.map(catalog.companyName).join(", ") : "all companies" }}</td>
      </tr>
    </tbody>
  </table>
  <p v-if="entry && !entry.types.length" class="empty">
    There is no {{ word }} yet. Records of this kind need one.
  </p>
  <form
    v-if="draft"
    class="edit"
    :aria-label="adding ? `New ${word}` : `${word} ${draft.key}`"
    @submit.prevent="save"
  >
    <h2>{{ adding ? `New ${word}` : `${draft.key} ${draft.label}` }}</h2>
    <TroubleNote :problem="problem" :uses="uses" :count="count" />
    <div class="fields">
      <label v-if="adding"
        ><span class="field-label">Key</span><input v-model.trim="draft.key" class="line" required
      /></label>
      <label class="wide"
        ><span class="field-label">Name</span><input v-model="draft.label" class="line" required
      /></label>
    </div>
    <fieldset>
      <legend class="field-label">Used in (none marked: all companies)</legend>
      <label v-for="c in catalog.catalog?.companies" :key="c.key" class="company">
        <input type="checkbox" :checked="draft.companies?.includes(c.key)" @change="toggle(c.key)" />
        {{ c.key }} {{ c.name }}
      </label>
    </fieldset>
    <div class="buttons">
      <button type="submit" class="button first" :disabled="busy">Save</button>
      <button type="button" class="button" @click="draft = undefined">Leave it</button>
      <button v-if="!adding" type="button" class="button" :disabled="busy" @click="remove">Delete</button>
    </div>
  </form>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 10px;
}
.company {
  margin-right: 16px;
}
</style>
