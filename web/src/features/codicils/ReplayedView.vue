<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed, ref } from "vue";
import { RouterLink, useRoute } from "vue-router";
import type { Act, Family, FieldOutcome, Schemas } from "@/api/client";
import { useCatalog } from "@/queries/catalog";
import { useReplayed } from "@/queries/codicils";
import { dayInWords, inSentence, moment } from "@/queries/format";
import ActTold from "@/ui/ActTold.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import { families } from "@/ui/families";
import TroubleNote from "@/ui/TroubleNote.vue";

/** One record, or one posted document, through the rules with a codicil and without: both journeys side by side. */
const route = useRoute();
const catalog = useCatalog();
const of = computed(() => ({
  id: Number(route.params.id),
  kind: String(route.params.kind),
  number: String(route.params.number),
}));
const asked = useReplayed(() => of.value);
const all = ref(false);

interface Row {
  key: string;
  line: number;
  before?: FieldOutcome;
  after?: FieldOutcome;
  differs: boolean;
}
/** What a field came to, with what rules did to it; other words for the same are no difference. */
const came = (f?: FieldOutcome) =>
  f &&
  JSON.stringify([
    f.final.value,
    f.need,
    f.access,
    f.band?.label,
    f.acts.filter((a) => a.did !== "not needed").map((a) => [a.rule, a.version, a.did, a.after.value]),
  ]);
function rowsOf(line: number, before: FieldOutcome[], after: FieldOutcome[]): Row[] {
  const then = new Map(before.map((f) => [f.key, f]));
  const keys = [...new Set([...after.map((f) => f.key), ...then.keys()])];
  const now = new Map(after.map((f) => [f.key, f]));
  return keys.map((key) => {
    const [b, a] = [then.get(key), now.get(key)];
    return { key, line, before: b, after: a, differs: came(b) !== came(a) };
  });
}
const rows = computed(() => {
  const r = asked.data;
  if (!r) return [];
  const line = (o: Schemas["Outcome"], n: number) => o.lines.find((l) => l.number === n)?.fields ?? [];
  const numbers = [...new Set([...r.before.lines, ...r.after.lines].map((l) => l.number))];
  return [
    ...rowsOf(0, r.before.fields, r.after.fields),
    ...numbers.flatMap((n) => rowsOf(n, line(r.before, n), line(r.after, n))),
  ];
});
const told = (r: Row) =>
  !!(r.before?.final.text || r.after?.final.text || r.before?.acts.length || r.after?.acts.length);
const shown = computed(() => rows.value.filter((r) => (all.value ? told(r) : r.differs)));
const sides = computed(() => {
  const r = asked.data;
  return r
    ? [
        { title: "By the rules in force", outcome: r.before, key: "before" as const },
        { title: `With codicil ${of.value.id}`, outcome: r.after, key: "after" as const },
      ]
    : [];
});
/** Rules that did something; the others are told where nothing else is. */
const acts = (f?: FieldOutcome) =>
  f?.acts.filter((a) => a.did === "acted" || a.did === "speaks" || a.did === "failed") ?? [];
/** The rule is the same both ways: its own words say nothing of the difference. */
const alike = (r: Row, a: Act) =>
  [r.before, r.after].every((f) =>
    f?.acts.some((o) => o.rule === a.rule && o.phrase === a.phrase && o.did === a.did),
  );
</script>

<template>
  <div class="page replayed">
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <template v-if="asked.data">
      <div class="page-head">
        <h1>
          {{ of.number }} <span class="titled">{{ asked.data.hit.title }}</span>
        </h1>
        <span class="spring" />
        <RouterLink class="button" :to="recordPlace(of.kind, of.number)"
          >See the {{ inSentence(catalog.entry(of.kind)?.kind.label) }}</RouterLink
        >
        <RouterLink class="button" :to="`/codicils/${of.id}`">Back to codicil {{ of.id }}</RouterLink>
      </div>
      <p class="quiet about">
        {{ catalog.typeName(asked.data.hit.type, of.kind) }} in
        {{ catalog.companyName(asked.data.hit.company) }}, judged on {{ dayInWords(asked.data.after.day)
        }}<template v-if="asked.data.postedAt">. Posted {{ moment(asked.data.postedAt) }}</template
        >.
        <template v-if="!asked.data.postedAt">It is judged as it stands, as if it were posted now.</template>
        <template v-else-if="asked.data.known"
          >It is judged as it was entered, by what was read then.</template
        >
        <template v-else>What it read then is not known: it is judged by what is saved now.</template>
        <template v-if="asked.data.drifted">
          By the rules in force it differs from what is saved already.</template
        >
      </p>
      <label class="all"><input v-model="all" type="checkbox" /> Fields that come out the same too</label>
      <table class="ledger" aria-label="Both journeys">
        <thead>
          <tr>
            <th class="field">Field</th>
            <th v-for="s in sides" :key="s.key">{{ s.title }}</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td>Outcome</td>
            <td v-for="s in sides" :key="s.key">
              <b :class="{ wrong: s.outcome.verdict !== 'accepted' }">{{ s.outcome.verdict }}</b>
              <p v-for="(m, i) in s.outcome.messages" :key="i" class="message">
                {{ catalog.label(m.field, m.line, of.kind) }}: {{ m.text }}
                <span v-if="m.reason" class="quiet">Reason given: {{ m.reason }}</span>
              </p>
            </td>
          </tr>
          <tr v-for="r in shown" :key="`${r.key} ${r.line}`" :class="{ differs: r.differs }">
            <td>{{ catalog.label(r.key, r.line, of.kind) }}</td>
            <td v-for="s in sides" :key="s.key">
              <b>{{ r[s.key]?.final.text || "blank" }}</b>
              <div v-for="a in acts(r[s.key])" :key="a.rule" :class="`did family-${a.family}`">
                <FamilyGlyph :family="a.family as Family" />
                <div>
                  {{ families[a.family as Family].label }}, rule {{ a.rule }}: {{ a.phrase }}
                  <ActTold :act="a" :part="all || alike(r, a) ? 'deed' : undefined" />
                </div>
              </div>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="!shown.length" class="empty">It comes out the same with it and without, in every field.</p>
    </template>
    <p v-else-if="!asked.problem" class="quiet" role="status">Loading…</p>
  </div>
</template>

<style scoped>
.titled {
  font-weight: 400;
}
.about {
  max-width: 860px;
}
.all {
  display: block;
  margin: 8px 0;
}
.field {
  width: 190px;
}
td {
  vertical-align: top;
  width: 42%;
}
td:first-child {
  width: auto;
}
.message {
  margin: 2px 0;
}
.did {
  display: flex;
  gap: 6px;
  margin: 4px 0;
}
.wrong {
  color: var(--refused);
}
</style>
