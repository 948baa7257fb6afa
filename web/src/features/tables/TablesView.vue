<script setup lang="ts">
import { computed, type Component } from "vue";
import { RouterLink, useRoute } from "vue-router";
import CompaniesTable from "@/features/tables/CompaniesTable.vue";
import FieldsTable from "@/features/tables/FieldsTable.vue";
import CrosswalksTable from "@/features/tables/CrosswalksTable.vue";
import LayoutEditor from "@/features/tables/LayoutEditor.vue";
import KindsTable from "@/features/tables/KindsTable.vue";
import ListsTable from "@/features/tables/ListsTable.vue";
import MapsTable from "@/features/tables/MapsTable.vue";
import SeriesTable from "@/features/tables/SeriesTable.vue";
import StandingTable from "@/features/tables/StandingTable.vue";
import TypesTable from "@/features/tables/TypesTable.vue";

const route = useRoute();
const tables: { key: string; label: string; view: Component }[] = [
  { key: "companies", label: "Companies", view: CompaniesTable },
  { key: "kinds", label: "Kinds of records", view: KindsTable },
  { key: "types", label: "Types", view: TypesTable },
  { key: "fields", label: "Fields", view: FieldsTable },
  { key: "layouts", label: "Layouts", view: LayoutEditor },
  { key: "lists", label: "Choice lists", view: ListsTable },
  { key: "standing", label: "Standing values", view: StandingTable },
  { key: "crosswalks", label: "Crosswalks", view: CrosswalksTable },
  { key: "series", label: "Number series", view: SeriesTable },
  { key: "maps", label: "Carry-over maps", view: MapsTable },
];
const table = computed(() => tables.find((t) => t.key === route.params.table));
</script>

<template>
  <div class="tables">
    <nav aria-label="Tables">
      <RouterLink v-for="t in tables" :key="t.key" :to="`/tables/${t.key}`">{{ t.label }}</RouterLink>
    </nav>
    <div class="table">
      <component :is="table.view" v-if="table" />
      <p v-else class="empty">There is no table of that name.</p>
    </div>
  </div>
</template>

<style scoped>
.tables {
  display: flex;
  height: 100%;
}
nav {
  width: 150px;
  flex: none;
  border-right: 1px solid var(--rule-strong);
  padding: 14px 0;
  display: flex;
  flex-direction: column;
}
nav a {
  padding: 5px 18px;
  text-decoration: none;
  color: var(--ink-soft);
}
nav a:hover {
  color: var(--ink);
}
nav a.router-link-active {
  color: var(--ink);
  background: var(--paper-sunk);
  box-shadow: inset 2px 0 var(--ink);
}
.table {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 14px 24px 40px;
}
</style>
