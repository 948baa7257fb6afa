<script setup lang="ts">
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, type Confirmation, type Family } from "@/api/client";
import ConfirmMark from "@/features/proofs/ConfirmMark.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import ProofsHead from "@/features/proofs/ProofsHead.vue";
import { useCatalog } from "@/queries/catalog";
import { useAsked } from "@/queries/client";
import { count, format } from "@/queries/format";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Which rules are confirmed by proofs: companies by types, and the rules themselves, the neediest first. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const kind = computed(() => catalog.kind?.kind.key ?? "");
const asked = useAsked(
  () => (kind.value ? ["confirmation", kind.value, { ...format }] : undefined),
  (signal) => api.GET("/confirmation", { params: { query: { kind: kind.value, strength: true } }, signal }),
);
const rules = computed(() => asked.data);

const of = (name: string) => (route.query[name] ? String(route.query[name]) : "");
const company = computed(() => of("company"));
const type = computed(() => of("type"));
function choose(next: { company: string; type: string }) {
  const same = next.company === company.value && next.type === type.value;
  void router.replace({ query: same ? {} : next });
}

const covers = (keys: string[], key: string) => !keys.length || keys.includes(key);
function at(c: string, t: string): Confirmation[] {
  return (rules.value ?? []).filter((r) => covers(r.companies, c) && covers(r.types, t));
}
const confirmed = (r: Confirmation) => r.state === "proved both ways";
function cell(c: string, t: string) {
  const here = at(c, t);
  const both = here.filter(confirmed).length;
  const broken = here.filter((r) => r.state === "failing" || r.state === "out of date").length;
  return { all: here.length, both, broken, share: here.length ? both / here.length : 0 };
}
const companies = computed(() => catalog.catalog?.companies ?? []);
const types = computed(() => catalog.kind?.types ?? []);
const usedIn = (t: { companies?: string[] | null }, c: string) =>
  !t.companies?.length || t.companies.includes(c);

/** What needs somebody most stands first. */
const order: Confirmation["state"][] = [
  "failing",
  "out of date",
  "not proved",
  "proved not to act",
  "proved to act",
  "proved both ways",
];
const strength = (r: Confirmation) =>
  r.strength?.mutants ? Math.floor((100 * r.strength.noticed) / r.strength.mutants) : 100;
const neediest = computed(() =>
  (company.value ? at(company.value, type.value) : (rules.value ?? []))
    .slice()
    .sort(
      (a, b) =>
        order.indexOf(a.state) - order.indexOf(b.state) || strength(a) - strength(b) || a.rule - b.rule,
    ),
);
const missing = (r: Confirmation) => r.goals.filter((g) => !g.proofs.length).map((g) => g.words);
function next(r: Confirmation): string {
  if (r.state === "failing") return "a proof of it fails";
  if (r.state === "out of date") return "a proof of it can no longer be run";
  const first = missing(r)[0];
  if (first) return `show: ${first}`;
  const aside = new Set(r.strength?.aside.map((a) => a.change));
  const unnoticed = r.strength?.unnoticed.find((u) => !aside.has(u));
  return unnoticed ? `notice if ${unnoticed}` : "";
}
const list = useList<Confirmation>(
  () => neediest.value,
  () => [
    { label: "Coverage", value: (r) => r.state },
    { label: "Rule", value: (r) => r.sentence },
    { label: "Shown", right: true, value: (r) => r.reached },
    { label: "Strength", right: true, value: (r) => (r.strength?.mutants ? strength(r) : undefined) },
    { label: "Next", value: next },
  ],
);
const totals = computed(() => {
  const all = rules.value ?? [];
  const mutants = all.reduce((sum, r) => sum + (r.strength?.mutants ?? 0), 0);
  const noticed = all.reduce((sum, r) => sum + (r.strength?.noticed ?? 0), 0);
  return {
    both: all.filter(confirmed).length,
    all: all.length,
    strength: mutants ? Math.floor((100 * noticed) / mutants) : 100,
  };
});
</script>

<template>
  <div class="page">
    <ProofsHead>
      <span v-if="rules" class="summary" role="status">
        <b>{{ count(totals.both) }}</b> of {{ count(totals.all) }} rules proved both ways
        <span class="quiet">· {{ totals.strength }} % of slightly wrong versions noticed</span>
      </span>
    </ProofsHead>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <p v-if="!rules && !asked.problem" class="quiet">Running the proofs…</p>
    <p v-else-if="rules && !rules.length" class="empty">
      No rule for these records is in force. <RouterLink to="/plan">Open the plan</RouterLink> to write one.
    </p>
    <template v-else-if="rules">
      <table class="heat" aria-label="Rules proved both ways, companies by types">
        <thead>
          <tr>
            <th scope="col">
              <span class="visually-hidden">{{ catalog.kind?.kind.typeLabel }}</span>
            </th>
            <th v-for="c in companies" :key="c.key" scope="col">{{ c.key }} {{ c.name }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in types" :key="t.key">
            <th scope="row">{{ t.label }}</th>
            <td v-for="c in companies" :key="c.key">
              <button
                v-if="usedIn(t, c.key)"
                type="button"
                :class="{ chosen: company === c.key && type === t.key }"
                :style="{ '--share': cell(c.key, t.key).share }"
                @click="choose({ company: c.key, type: t.key })"
              >
                <span class="visually-hidden">{{ t.label }} in {{ c.name }}: </span>
                {{ count(cell(c.key, t.key).both) }} of {{ count(cell(c.key, t.key).all) }}
                <span class="visually-hidden"> rules proved both ways</span>
                <span v-if="cell(c.key, t.key).broken" class="broken">
                  <ConfirmMark state="failing" /> {{ cell(c.key, t.key).broken }}</span
                >
              </button>
              <span v-else class="quiet">not used</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="company" class="chosen-line">
        {{ catalog.typeName(type) }} in {{ catalog.companyName(company) }}:
        <RouterLink :to="{ path: '/proofs/report', query: { kind, company, type } }"
          >confirmation report</RouterLink
        >
        · <RouterLink :to="{ path: '/proofs', query: { company, type } }">its proofs</RouterLink>
      </p>
      <ListExport name="Coverage" :list="list" />
      <table class="ledger">
        <ListHead :list="list" />
        <tbody>
          <tr v-for="r in list.rows" :key="r.rule" :data-rule="r.rule">
            <td class="state"><ConfirmMark :state="r.state" words /></td>
            <td class="rule" :class="`family-${r.family}`">
              <FamilyGlyph :family="r.family as Family" />
              <RouterLink :to="`/plan?rule=${r.rule}`">{{ r.sentence }}</RouterLink>
            </td>
            <td class="right">{{ count(r.reached) }} of {{ count(r.goals.length) }}</td>
            <td class="right">{{ r.strength?.mutants ? `${strength(r)} %` : "" }}</td>
            <td class="quiet">{{ next(r) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.summary {
  font: 15px/1.3 var(--serif);
}
.heat {
  border-collapse: collapse;
  margin: 4px 0 18px;
}
.heat th {
  text-align: left;
  font-weight: 600;
  padding: 3px 14px 3px 0;
  color: var(--ink-soft);
}
.heat td {
  padding: 2px 6px 2px 0;
}
.heat button {
  font: inherit;
  color: inherit;
  width: 168px;
  text-align: left;
  padding: 4px 8px;
  cursor: pointer;
  border: 1px solid var(--rule);
  background: color-mix(in srgb, var(--good) calc(var(--share) * 32%), var(--paper-raised));
}
.heat .chosen {
  outline: 2px solid var(--ink);
}
.broken {
  float: right;
  color: var(--refused);
}
.chosen-line {
  font: 15px/1.4 var(--serif);
  margin: 0 0 6px;
}
.right {
  text-align: right;
  white-space: nowrap;
}
.state {
  white-space: nowrap;
}
.rule a {
  /* In two lines it is one area to click. */
  display: inline-block;
  vertical-align: top;
  max-width: calc(100% - 26px);
  font: 15px/1.35 var(--serif);
  color: inherit;
  margin-left: 6px;
  text-decoration: none;
}
.rule a:hover,
.rule a:focus-visible {
  text-decoration: underline;
}
</style>
