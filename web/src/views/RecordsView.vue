<script setup lang="ts">
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, ask, type RecordRow } from "@/api/client";
import { useCatalog } from "@/stores/catalog";
import { usePlan } from "@/stores/plan";

const catalog = useCatalog();
const plan = usePlan();
const router = useRouter();
const records = ref<RecordRow[]>();
const problem = ref("");
const search = ref("");

onMounted(async () => {
  try {
    records.value = await ask(
      api.GET("/records", { params: { query: { kind: catalog.kind?.kind.key ?? "" } } }),
    );
  } catch (error) {
    problem.value = (error as Error).message;
  }
});

const columns = ["city", "country", "tax_number", "payment_terms", "payment_method"];
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return (records.value ?? []).filter((r) =>
    words.every((w) => [r.number, ...Object.values(r.values)].join(" ").toLowerCase().includes(w)),
  );
});

async function onPlan(r: RecordRow) {
  const entered = Object.fromEntries(Object.entries(r.values).map(([k, v]) => [k, { value: v }]));
  const day = plan.scope.day || (catalog.catalog?.today ?? "");
  await plan.take(
    { kind: r.kind, company: r.company, type: r.type, day, entered, record: r.number },
    `Change of ${r.number}`,
  );
  await router.push({ path: "/plan", query: { company: r.company, type: r.type, day } });
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>{{ catalog.kind?.kind.plural }}</h1>
      <span class="quiet">{{ found.length }} of {{ records?.length ?? 0 }}</span>
      <span class="spring" />
      <input
        v-model="search"
        class="line search"
        type="search"
        placeholder="Number, name, anything"
        aria-label="Search records"
      />
    </div>
    <p v-if="problem" class="empty" role="alert">{{ problem }}</p>
    <p v-else-if="records && !found.length" class="empty">
      {{ records.length ? "Nothing fits that search." : "No records are saved yet." }}
    </p>
    <table v-else class="ledger">
      <thead>
        <tr>
          <th>Number</th>
          <th>Name</th>
          <th>Company</th>
          <th>{{ catalog.kind?.kind.typeLabel }}</th>
          <th v-for="c in columns" :key="c">{{ catalog.field(c)?.label }}</th>
          <th><span class="visually-hidden">What to do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in found" :key="r.number">
          <td>{{ r.number }}</td>
          <td class="title">{{ r.title }}</td>
          <td class="nowrap">{{ catalog.companyName(r.company) }}</td>
          <td class="nowrap">{{ catalog.typeName(r.type) }}</td>
          <td v-for="c in columns" :key="c">{{ r.values[c] }}</td>
          <td class="nowrap">
            <button type="button" class="plain" @click="onPlan(r)">Test a change</button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.search {
  width: 240px;
}
.title {
  font: 15px/1.35 var(--serif);
}
.nowrap {
  white-space: nowrap;
}
</style>
