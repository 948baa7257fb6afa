<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed, reactive } from "vue";
import type { KindEntry } from "@/api/client";
import { needsValue, relations, writeFilters, type Filter, type Listing } from "@/features/records/listing";
import { inSentence } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";

/** What a list shows: companies, types, states, filters by any field, and columns. */
const props = defineProps<{ list: Listing; entry: KindEntry }>();
const catalog = useCatalog();

const filters = computed(() => props.list.selection.value.filters ?? []);
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
    <ElSelect
      :model-value="list.selection.value.companies"
      multiple
      collapse-tags
      placeholder="All companies"
      aria-label="Companies"
      class="pick"
      @change="list.change({ company: $event.join(',') })"
    >
      <ElOption
        v-for="c in catalog.catalog?.companies"
        :key="c.key"
        :value="c.key"
        :label="`${c.key} ${c.name}`"
      />
    </ElSelect>
    <ElSelect
      :model-value="list.selection.value.types"
      multiple
      collapse-tags
      :placeholder="`Any ${inSentence(entry.kind.typeLabel)}`"
      aria-label="Types"
      class="pick"
      @change="list.change({ type: $event.join(',') })"
    >
      <ElOption v-for="t in entry.types" :key="t.key" :value="t.key" :label="t.label" />
    </ElSelect>
    <ElSelect
      v-if="entry.kind.posted"
      :model-value="list.selection.value.states"
      multiple
      collapse-tags
      placeholder="Any state"
      aria-label="States"
      class="pick narrow"
      @change="list.change({ state: $event.join(',') })"
    >
      <ElOption v-for="s in ['kept', 'posted', 'reversed']" :key="s" :value="s" :label="s" />
    </ElSelect>
    <span v-for="(f, i) in filters" :key="i" class="filter">
      {{ labelOf(f.field) }} {{ relations[f.relation] }} {{ f.value }}
      <button type="button" class="plain" aria-label="Remove the filter" @click="dropFilter(i)">×</button>
    </span>
    <form v-if="drafting.on" class="draft" @submit.prevent="addFilter">
      <ElSelect
        v-model="drafting.field"
        filterable
        placeholder="field"
        aria-label="Field of the filter"
        class="pick"
      >
        <ElOption v-for="f in entry.kind.fields" :key="f.key" :value="f.key" :label="f.label" />
      </ElSelect>
      <ElSelect v-model="drafting.relation" aria-label="Relation of the filter" class="pick narrow">
        <ElOption v-for="(phrase, key) in relations" :key="key" :value="key" :label="phrase" />
      </ElSelect>
      <input
        v-if="needsValue(drafting.relation)"
        v-model="drafting.value"
        class="line value"
        aria-label="Value of the filter"
      />
      <button type="submit" class="button">Filter</button>
      <button type="button" class="plain" @click="drafting.on = false">Leave it</button>
    </form>
    <button v-else type="button" class="plain" @click="drafting.on = true">Filter by a field</button>
    <span class="spring" />
    <ElSelect
      :model-value="list.columns.value"
      multiple
      collapse-tags
      filterable
      :max-collapse-tags="0"
      aria-label="Columns"
      class="pick narrow columns"
      @change="list.change({ columns: $event.join(',') })"
    >
      <template #tag>Columns</template>
      <ElOption v-for="f in entry.kind.fields" :key="f.key" :value="f.key" :label="f.label" />
    </ElSelect>
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
