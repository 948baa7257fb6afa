<script setup lang="ts">
import { computed, type Component } from "vue";
import { RouterLink, useRoute } from "vue-router";
import CompaniesTable from "@/components/CompaniesTable.vue";
import FieldsTable from "@/components/FieldsTable.vue";
import CrosswalksTable from "@/components/CrosswalksTable.vue";
import LayoutEditor from "@/components/LayoutEditor.vue";
import MapsTable from "@/components/MapsTable.vue";
import SeriesTable from "@/components/SeriesTable.vue";
import StandingTable from "@/components/StandingTable.vue";
import TypesTable from "@/components/TypesTable.vue";

const route = useRoute();
const tables: { key: string; label: string; view: Component }[] = [
  { key: "companies", label: "Companies", view: CompaniesTable },
  { key: "types", label: "Types", view: TypesTable },
  { key: "fields", label: "Fields", view: FieldsTable },
  { key: "layouts", label: "Layouts", view: LayoutEditor },
  { key: "standing", label: "Standing values", view: StandingTable },
  { key: "crosswalks", label: "Crosswalks", view: CrosswalksTable },
  { key: "series", label: "Number series", view: SeriesTable },
  { key: "maps", label: "Follow-on maps", view: MapsTable },
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
