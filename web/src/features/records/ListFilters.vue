<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, reactive } from "vue";
import type { KindEntry } from "@/api/client";
import { needsValue, relations, writeFilters, type Filter, type Listing } from "@/features/records/listing";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

/** What a list shows: companies, types, states, filters by any field, and columns. */
const props = defineProps<{ list: Listing; entry: KindEntry }>();
const catalog = useCatalog();

const filters = computed(() => props.list.selection.filters ?? []);
const drafting = reactive({ on: false, field: "", relation: "is" as Filter["relation"], value: "" });
function addFilter() {
  if (!drafting.field || (needsValue(drafting.relation) && !drafting.value.trim())) return;
  const { field, relation, value } = drafting;
  props.list.change({ filters: writeFilters([...filters.value, { field, relation, value: value.trim() }]) });
  Object.assign(drafting, { on: false, field: "", relation: "is", value: "" });
}
function dropFilter(i: number) {
  props.list.change({ filters: writeFilters(filters.value.filter((_, at) => at !== i)) });
}
function labelOf(key: string): string {
  return catalog.label(key, undefined, props.entry.kind.key);
}
</script>

<template>
  <div class="filters">
    <SelectBox
      :model-value="list.selection.companies ?? []"
      multiple
      placeholder="All companies"
      label="Companies"
      class="pick"
      :options="catalog.companyOptions"
      @change="list.change({ company: $event.join(',') })"
    />
    <SelectBox
      :model-value="list.selection.types ?? []"
      multiple
      :placeholder="`Any ${inSentence(entry.kind.typeLabel)}`"
      label="Types"
      class="pick"
      :options="entry.types.map((t) => ({ value: t.key, label: t.label }))"
      @change="list.change({ type: $event.join(',') })"
    />
    <SelectBox
      v-if="entry.kind.posted"
      :model-value="list.selection.states ?? []"
      multiple
      placeholder="Any state"
      label="States"
      class="pick narrow"
      :options="['kept', 'posted', 'reversed'].map((s) => ({ value: s, label: s === 'kept' ? 'saved' : s }))"
      @change="list.change({ state: $event.join(',') })"
    />
    <span v-for="(f, i) in filters" :key="i" class="filter">
      {{ labelOf(f.field) }} {{ relations[f.relation] }} {{ f.value }}
      <button type="button" class="plain" aria-label="Remove the filter" @click="dropFilter(i)">×</button>
    </span>
    <form v-if="drafting.on" class="draft" @submit.prevent="addFilter">
      <SelectBox
        v-model="drafting.field"
        placeholder="field"
        label="Field of the filter"
        class="pick"
        :options="entry.kind.fields.map((f) => ({ value: f.key, label: f.label }))"
      />
      <SelectBox
        v-model="drafting.relation"
        label="Relation of the filter"
        class="pick narrow"
        :options="Object.entries(relations).map(([key, phrase]) => ({ value: key, label: phrase }))"
      />
      <input
        v-if="needsValue(drafting.relation)"
        v-model="drafting.value"
        class="line value"
        aria-label="Value of the filter"
      />
      <button type="submit" class="button">Filter</button>
      <button type="button" class="plain" @click="drafting.on = false">Cancel</button>
    </form>
    <button v-else type="button" class="plain" @click="drafting.on = true">Filter by a field</button>
    <span class="spring" />
    <SelectBox
      :model-value="list.columns"
      multiple
      label="Columns"
      caption="Columns"
      class="pick narrow columns"
      :options="entry.kind.fields.map((f) => ({ value: f.key, label: f.label }))"
      @change="list.change({ columns: $event.join(',') })"
    />
  </div>
</template>

<style scoped>
.filters {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 8px 20px;
  flex-wrap: wrap;
  border-bottom: 1px solid var(--rule-strong);
}
.spring {
  flex: 1;
}
.pick {
  width: 190px;
}
.narrow {
  width: 132px;
}
.value {
  width: 130px;
}
.draft,
.filter {
  display: flex;
  gap: 6px;
  align-items: center;
}
.filter {
  background: var(--select);
  border-radius: 3px;
  padding: 2px 4px 2px 8px;
}
.filter .plain {
  text-decoration: none;
}
</style>
