<script setup lang="ts">
import { computed, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, ask, type Family, type RuleView } from "@/api/client";
import ChosenKind from "@/components/ChosenKind.vue";
import FamilyGlyph from "@/components/FamilyGlyph.vue";
import { families, stateWords } from "@/families";
import { dayInWords } from "@/format";
import { useCatalog } from "@/stores/catalog";

const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const rules = ref<RuleView[]>();
const problem = ref("");

async function load() {
  try {
    rules.value = await ask(api.GET("/rules", { params: { query: { kind: catalog.kind?.kind.key ?? "" } } }));
    problem.value = "";
  } catch (error) {
    problem.value = (error as Error).message;
  }
}
watch(() => catalog.kind?.kind.key, load);
onMounted(load);

function filter(name: string) {
  return computed({
    get: () => (typeof route.query[name] === "string" ? (route.query[name] as string) : ""),
    set: (value: string) => void router.replace({ query: { ...route.query, [name]: value || undefined } }),
  });
}
const search = filter("search");
const family = filter("family");
const state = filter("state");
const company = filter("company");

const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return (rules.value ?? []).filter((r) => {
    const text = [
      r.name,
      r.sentence,
      r.body.when,
      r.body.effect.value,
      r.body.effect.must,
      r.body.note.why,
      r.body.note.askedBy,
    ]
      .join(" ")
      .toLowerCase();
    return (
      words.every((w) => text.includes(w)) &&
      (!family.value || r.body.family === family.value) &&
      (!state.value || r.state === state.value) &&
      (!company.value || !r.body.scope.companies?.length || r.body.scope.companies.includes(company.value))
    );
  });
});
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1 class="of">Rules for <ChosenKind /></h1>
      <span class="quiet">{{ found.length }} of {{ rules?.length ?? 0 }}</span>
      <span class="spring" />
      <input
        v-model="search"
        class="line search"
        type="search"
        placeholder="Names, formulas, notes"
        aria-label="Search rules"
      />
      <select v-model="family" class="line narrow" aria-label="Family">
        <option value="">all families</option>
        <option v-for="(f, key) in families" :key="key" :value="key">{{ f.label }}</option>
      </select>
      <select v-model="company" class="line narrow" aria-label="Company">
        <option value="">all companies</option>
        <option v-for="c in catalog.catalog?.companies" :key="c.key" :value="c.key">
          {{ c.key }} {{ c.name }}
        </option>
      </select>
      <select v-model="state" class="line narrow" aria-label="State">
        <option value="">all states</option>
        <option v-for="(words, key) in stateWords" :key="key" :value="key">{{ words }}</option>
      </select>
    </div>
    <p v-if="problem" class="empty" role="alert">
      {{ problem }} <button class="plain" type="button" @click="load">Try again</button>
    </p>
    <p v-else-if="rules && !rules.length" class="empty">
      No rules yet. <RouterLink to="/plan">Open the plan</RouterLink>, choose a cell and write the first.
    </p>
    <p v-else-if="rules && !found.length" class="empty">
      No rule fits that. Widen the search or the filters.
    </p>
    <table v-else class="ledger">
      <thead>
        <tr>
          <th>No.</th>
          <th>Family</th>
          <th>Rule</th>
          <th>Asked by</th>
          <th>State</th>
          <th>Proofs</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in found" :key="r.id" :class="{ resting: r.state !== 'in force' }">
          <td class="quiet">{{ r.id }}</td>
          <td class="family" :class="`family-${r.body.family}`">
            <FamilyGlyph :family="r.body.family as Family" /> {{ families[r.body.family as Family].label }}
          </td>
          <td>
            <RouterLink class="sentence" :to="`/plan?rule=${r.id}`">{{ r.sentence }}</RouterLink>
            <span v-if="!r.sound" class="wrong">{{
              r.problems.find((p) => p.severity === "error")?.message
            }}</span>
          </td>
          <td class="asked">
            {{ r.body.note.askedBy
            }}<template v-if="r.body.note.askedOn">, {{ dayInWords(r.body.note.askedOn) }}</template>
          </td>
          <td>{{ stateWords[r.state] }}</td>
          <td>
            <RouterLink v-if="r.proofs.length" :to="`/proofs?rule=${r.id}`">{{
              r.proofs.length
            }}</RouterLink><span v-else class="quiet">none</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.search {
  width: 220px;
}
.narrow {
  width: auto;
}
.family {
  white-space: nowrap;
  color: var(--hue);
}
.sentence {
  font: 15px/1.35 var(--serif);
  text-decoration: none;
}
.sentence:hover {
  text-decoration: underline;
}
.wrong {
  display: block;
  color: var(--refused);
  font-size: 12px;
}
.resting .sentence {
  color: var(--ink-soft);
  font-style: italic;
}
.asked {
  white-space: nowrap;
  color: var(--ink-soft);
  font-size: 12px;
}
</style>
