<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import { api, ask, type Type } from "@/api/client";
import EntryForm from "@/ui/EntryForm.vue";
import KindPicker from "@/features/tables/KindPicker.vue";
import { useEntryForm } from "@/ui/entryForm";
import { inSentence } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const route = useRoute();
const entry = computed(() => catalog.entry(String(route.query.kind ?? "")) ?? catalog.kinds[0]);
const word = computed(() => inSentence(entry.value?.kind.typeLabel) ?? "type");

const path = (type: Type) => ({ params: { path: { kind: type.kind, key: type.key } } });
const { draft, adding, busy, trouble, edit, save, remove, leave } = useEntryForm<Type>({
  blank: () => ({ kind: entry.value!.kind.key, key: "", label: "", companies: [] }),
  save: (type) => ask(api.PUT("/types/{kind}/{key}", { ...path(type), body: type })),
  remove: (type) => ask(api.DELETE("/types/{kind}/{key}", path(type))),
  reload: catalog.load,
});
function toggle(company: string) {
  const used = draft.value!.companies ?? [];
  draft.value!.companies = used.includes(company) ? used.filter((c) => c !== company) : [...used, company];
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
  <EntryForm
    v-if="draft"
    :label="adding ? `New ${word}` : `${word} ${draft.key}`"
    :title="adding ? `New ${word}` : `${draft.key} ${draft.label}`"
    :trouble="trouble"
    :busy="busy"
    :adding="adding"
    @save="save"
    @leave="leave"
    @remove="remove"
  >
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
  </EntryForm>
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
