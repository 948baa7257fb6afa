<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import type { Field } from "@/api/client";
import { keyOf } from "@/api/address";
import LateInput from "@/ui/LateInput.vue";
import { useCatalog } from "@/queries/catalog";

/** What a table holds in a column: its name, key and type. */
const field = defineModel<Field>({ required: true });
const props = defineProps<{ keyFixed?: boolean; what?: string }>();
const catalog = useCatalog();

const types = computed(() => (catalog.catalog?.fieldTypes ?? []).filter((t) => t.tables));
const heeds = (setting: string) => catalog.traits(field.value.type).settings.includes(setting);

/** The key follows the name until somebody writes one. */
function rename(label: string) {
  const follows = !props.keyFixed && (!field.value.key || field.value.key === keyOf(field.value.label));
  field.value = { ...field.value, label, key: follows ? keyOf(label) : field.value.key };
}
</script>

<template>
  <div class="column">
    <label
      ><span class="field-label">{{ what ?? "Name" }}</span
      ><input
        class="line"
        :value="field.label"
        required
        @input="rename(($event.target as HTMLInputElement).value)"
    /></label>
    <label
      ><span class="field-label">Key</span
      ><LateInput
        class="mono"
        :value="field.key"
        :disabled="keyFixed"
        required
        @take="field = { ...field, key: $event.trim() }"
    /></label>
    <label
      ><span class="field-label">Holds</span>
      <SelectBox
        :model-value="field.type"
        label="Holds"
        :options="types.map((t) => ({ value: t.name, label: t.label }))"
        @change="field = { ...field, type: $event as Field['type'] }"
    /></label>
    <label v-if="heeds('decimals')"
      ><span class="field-label">Decimals</span
      ><WholeInput
        :model-value="field.decimals ?? 0"
        :min="0"
        :max="12"
        @update:model-value="field = { ...field, decimals: $event ?? 0 }"
    /></label>
    <label v-if="heeds('choices')" class="list"
      ><span class="field-label">From the list</span>
      <SelectBox
        :model-value="field.list ?? ''"
        label="From the list"
        placeholder="choose one"
        :options="(catalog.catalog?.lists ?? []).map((l) => ({ value: l.key, label: l.label }))"
        @change="field = { ...field, list: $event || undefined }"
    /></label>
    <label v-if="heeds('kind')"
      ><span class="field-label">To</span>
      <SelectBox
        :model-value="field.kind"
        label="To"
        :options="catalog.kinds.map((k) => ({ value: k.kind.key, label: k.kind.label }))"
        @change="field = { ...field, kind: $event }"
    /></label>
    <slot />
  </div>
</template>

<style scoped>
.column {
  display: grid;
  grid-template-columns: minmax(140px, 1.4fr) minmax(110px, 1fr) 130px minmax(80px, auto) auto;
  gap: 8px;
  align-items: end;
  max-width: 820px;
  margin-bottom: 6px;
}
.list {
  width: 180px;
}
</style>
