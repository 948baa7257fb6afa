<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import { api, type Type } from "@/api/client";
import TableEditor from "@/ui/TableEditor.vue";
import KindPicker from "@/features/tables/KindPicker.vue";
import { useList } from "@/ui/list";
import { useTableEditor } from "@/ui/tableEditor";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const route = useRoute();
const entry = computed(() => catalog.entry(String(route.query.kind ?? "")) ?? catalog.kinds[0]);
const word = computed(() => inSentence(entry.value?.kind.typeLabel) ?? "type");

const path = (type: Type) => ({ params: { path: { kind: type.kind, key: type.key } } });
const table = useTableEditor<Type>({
  blank: () => ({ kind: entry.value!.kind.key, key: "", label: "", companies: [] }),
  save: (type) => api.PUT("/types/{kind}/{key}", { ...path(type), body: type }),
  remove: (type) => api.DELETE("/types/{kind}/{key}", path(type)),
});
const usedIn = (t: Type) =>
  t.companies?.length ? t.companies.map(catalog.companyName).join(", ") : "all companies";
const list = useList<Type>(
  () => entry.value?.types ?? [],
  () => [
    { label: "Key", value: (t) => t.key },
    { label: entry.value?.kind.typeLabel ?? "", value: (t) => t.label },
    { label: "Used in", value: usedIn },
  ],
);
function toggle(company: string) {
  const used = table.draft!.companies ?? [];
  table.draft!.companies = used.includes(company) ? used.filter((c) => c !== company) : [...used, company];
}
</script>

<template>
  <TableEditor
    :table="table"
    title="Types"
    :add="`Add a ${word}`"
    :list="list"
    :form="table.adding ? `New ${word}` : `${word} ${table.draft?.key}`"
    :form-title="table.adding ? `New ${word}` : `${table.draft?.key} ${table.draft?.label}`"
    :empty="entry && !entry.types.length ? `There is no ${word} yet. Records of this kind need one.` : ''"
  >
    <template #title>Types of <KindPicker @change="table.leave()" /></template>
    <template #rows>
      <tr v-for="t in list.rows" :key="t.key" :class="{ open: table.draft?.key === t.key }">
        <td>
          <button type="button" class="plain" @click="table.edit(t)">{{ t.key }}</button>
        </td>
        <td class="serif">{{ t.label }}</td>
        <td>{{ usedIn(t) }}</td>
      </tr>
    </template>
    <template v-if="table.draft" #default>
      <div class="fields">
        <label v-if="table.adding"
          ><span class="field-label">Key</span><input v-model.trim="table.draft.key" class="line" required
        /></label>
        <label class="wide"
          ><span class="field-label">Name</span><input v-model="table.draft.label" class="line" required
        /></label>
      </div>
      <fieldset>
        <legend class="field-label">Used in (none marked: all companies)</legend>
        <label v-for="c in catalog.catalog?.companies" :key="c.key" class="company">
          <input type="checkbox" :checked="table.draft.companies?.includes(c.key)" @change="toggle(c.key)" />
          {{ c.key }} {{ c.name }}
        </label>
      </fieldset>
    </template>
  </TableEditor>
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
