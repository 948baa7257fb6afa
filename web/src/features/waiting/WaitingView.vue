<script setup lang="ts">
import { useLocalStorage } from "@vueuse/core";
import { computed, watch } from "vue";
import { RouterLink } from "vue-router";
import { api, type Family, type Schemas } from "@/api/client";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import FoundMark from "@/ui/FoundMark.vue";
import SeverityMark from "@/ui/SeverityMark.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useCatalog } from "@/queries/catalog";
import { useAsked } from "@/queries/client";
import { useCodicils, type CodicilSummary } from "@/queries/codicils";
import { useFindings } from "@/queries/findings";
import { format, moment } from "@/queries/format";
import { runStates, runTitle } from "@/queries/runs";
import { useSession } from "@/queries/session";

const session = useSession();
/** What waits for the person, each a step from being done. */
const catalog = useCatalog();
/** When the person last said that the changes of others were read; "": they were never here. */
const seen = useLocalStorage("codicil-changes-read", "");
const asked = useAsked(
  () => ["waiting", seen.value, { ...format }],
  (signal) => api.GET("/waiting", { params: { query: seen.value ? { since: seen.value } : {} }, signal }),
  { keep: true },
);
// Who comes for the first time is told what changes from then on.
watch(
  () => asked.data?.now,
  (now) => {
    if (!seen.value && now) seen.value = now;
  },
);
const reads = computed(() => session.may("rules.read"));
const found = useFindings(() => (reads.value ? "" : undefined));
const waiting = computed(() => asked.data);
const open = computed(() => (found.data ?? []).filter((f) => !f.silenced));
/** Ends and gaps of tables are told by themselves. */
const ends = computed(() => open.value.filter((f) => f.sort === "in the tables"));
const wrong = computed(() => open.value.filter((f) => f.sort !== "in the tables"));
/** The answer is about the time since the changes were read; the first one is about the days before. */
const since = computed(() => {
  const told = waiting.value?.since;
  return told && seen.value && Date.parse(told) === Date.parse(seen.value) ? told : "";
});
const codicils = useCodicils(
  () => (reads.value ? ["submitted", "agreed", "open"] : undefined),
  () => 50,
  true,
);
/** Those that somebody has to decide on come first; drafts are told by themselves. */
const prepared = computed(() => {
  const order: Record<string, number> = { "in force": 0, submitted: 1, open: 2, agreed: 3 };
  return reads.value
    ? (codicils.data?.codicils ?? [])
        .filter((c) => !c.own || c.owed || c.state !== "open")
        .sort((a, b) => order[a.state]! - order[b.state]!)
    : [];
});
function what(c: CodicilSummary): string {
  if (c.owed) return `in force before it was signed; signatures are owed until ${moment(c.owed)}`;
  if (c.state === "submitted") return "waits for signatures";
  if (c.state === "agreed")
    return c.effective ? `comes into force ${moment(c.effective)}` : "agreed, and not in force yet";
  return c.hindered ? `did not come into force: ${c.hindered}` : "being prepared";
}
/** As many as one reads at a glance; the rest is one step away. */
const few = 6;
const nothing = computed(
  () =>
    waiting.value &&
    (found.data || !reads.value) &&
    !waiting.value.proofs.length &&
    !waiting.value.unproved &&
    !waiting.value.drafts.length &&
    !prepared.value.length &&
    !waiting.value.runs.length &&
    !(since.value && waiting.value.changes.length) &&
    !open.value.length,
);

const kindName = (key: string) => catalog.entry(key)?.kind.label ?? key;
const tables: Record<string, string> = {
  "standing value": "/tables/standing",
  crosswalk: "/tables/crosswalks?crosswalk=",
  list: "/tables/lists?list=",
  "number series": "/tables/series",
};
function whereIs(c: Schemas["OthersChange"]): string {
  if (c.what === "rule") return `/plan?rule=${c.key}`;
  if (c.what === "proof") return `/proofs?proof=${c.key}`;
  const at = tables[c.what] ?? "/tables";
  return at.endsWith("=") ? at + encodeURIComponent(c.key) : at;
}
</script>

<template>
  <div class="page waiting">
    <div class="page-head">
      <h1>To do</h1>
      <span v-if="!waiting && !asked.problem" class="quiet" role="status">Looking…</span>
    </div>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <TroubleNote :problem="found.problem" :retry="found.reload" />
    <p v-if="nothing" class="empty">
      <template v-if="reads">
        Nothing waits for you: every proof passes, every rule is proved both ways, and nothing is found.
        <RouterLink to="/plan">Open the plan</RouterLink> to write the next rule.
      </template>
      <template v-else>
        Nothing waits for you. <RouterLink to="/records">Open the records</RouterLink> to go on.
      </template>
    </p>

    <section v-if="waiting?.proofs.length" aria-label="Failing proofs">
      <h2>
        Failing proofs <span class="count">{{ waiting.proofs.length }}</span>
      </h2>
      <ul>
        <li v-for="p in waiting.proofs.slice(0, few)" :key="p.proof">
          <SeverityMark severity="refuse" />
          <RouterLink :to="`/proofs?kind=${p.kind}&proof=${p.proof}`">{{ p.name }}</RouterLink>
          <span class="quiet">{{ kindName(p.kind) }} · {{ p.why }}</span>
        </li>
      </ul>
      <RouterLink v-if="waiting.proofs.length > few" class="all" to="/proofs">All failing proofs</RouterLink>
    </section>

    <section v-if="wrong.length" aria-label="Findings">
      <h2>
        Findings <span class="count">{{ wrong.length }}</span>
      </h2>
      <ul>
        <li v-for="f in wrong.slice(0, few)" :key="f.key">
          <FoundMark />
          <RouterLink :to="f.rules.length ? `/plan?rule=${f.rules[0]!.id}` : '/findings'">{{
            f.message
          }}</RouterLink>
          <span class="quiet">{{ f.kind ? kindName(f.kind) : "" }}</span>
        </li>
      </ul>
      <RouterLink class="all" to="/findings">All findings, with what shows them</RouterLink>
    </section>

    <section v-if="ends.length" aria-label="Coming up">
      <h2>
        Coming up <span class="count">{{ ends.length }}</span>
      </h2>
      <ul>
        <li v-for="f in ends.slice(0, few)" :key="f.key">
          <FoundMark />
          <RouterLink :to="tables[f.table!.what] ?? '/tables'">{{ f.message }}</RouterLink>
        </li>
      </ul>
      <RouterLink v-if="ends.length > few" class="all" to="/findings">All of them</RouterLink>
    </section>

    <section v-if="prepared.length" aria-label="Codicils">
      <h2>
        Codicils <span class="count">{{ prepared.length }}</span>
      </h2>
      <ul>
        <li v-for="c in prepared.slice(0, few)" :key="c.id">
          <SeverityMark v-if="c.hindered && c.state === 'open'" severity="refuse" /><span v-else />
          <RouterLink :to="`/codicils/${c.id}`">{{ c.title }}</RouterLink>
          <span class="quiet">codicil {{ c.id }}, {{ what(c) }}</span>
        </li>
      </ul>
      <RouterLink v-if="prepared.length > few" class="all" to="/codicils?state=prepared"
        >All being prepared</RouterLink
      >
    </section>

    <section v-if="waiting?.runs.length" aria-label="Runs">
      <h2>
        Runs <span class="count">{{ waiting.runs.length }}</span>
      </h2>
      <ul>
        <li v-for="r in waiting.runs.slice(0, few)" :key="r.id">
          <span />
          <RouterLink :to="`/runs?run=${r.id}`">{{ runTitle(r) }}</RouterLink>
          <span class="quiet">{{ runStates[r.state] }}, {{ moment(r.endedAt ?? r.startedAt) }}</span>
        </li>
      </ul>
      <RouterLink v-if="waiting.runs.length > few" class="all" to="/runs">All runs</RouterLink>
    </section>

    <section v-if="waiting?.drafts.length" aria-label="Drafts">
      <h2>
        Drafts <span class="count">{{ waiting.drafts.length }}</span>
      </h2>
      <ul>
        <li v-for="r in waiting.drafts.slice(0, few)" :key="r.rule" :class="`family-${r.family}`">
          <FamilyGlyph :family="r.family as Family" />
          <RouterLink :to="`/plan?rule=${r.rule}`">{{ r.sentence }}</RouterLink>
          <span class="quiet">
            {{ r.state ? `not finished: ${r.state}` : "ready to be put in force"
            }}{{ r.changedBy ? ` · ${r.changedBy}` : "" }}{{ r.changedAt ? `, ${moment(r.changedAt)}` : "" }}
          </span>
        </li>
      </ul>
      <RouterLink v-if="waiting.drafts.length > few" class="all" to="/rules?state=draft"
        >All drafts</RouterLink
      >
    </section>

    <section v-if="waiting?.unproved" aria-label="Rules that are not proved">
      <h2>
        Rules in force that are not proved both ways <span class="count">{{ waiting.unproved }}</span>
      </h2>
      <ul>
        <li v-for="r in waiting.rules.slice(0, few)" :key="r.rule" :class="`family-${r.family}`">
          <FamilyGlyph :family="r.family as Family" />
          <RouterLink :to="`/plan?rule=${r.rule}`">{{ r.sentence }}</RouterLink>
          <span class="quiet">{{ kindName(r.kind) }} · {{ r.state }}</span>
        </li>
      </ul>
      <RouterLink v-if="waiting.unproved > few" class="all" to="/proofs/confirmed"
        >Coverage of all rules</RouterLink
      >
    </section>

    <section v-if="waiting && since && reads" aria-label="What others changed">
      <h2>
        What others changed <span class="count">{{ waiting.changes.length || "" }}</span>
        <span class="quiet since">since {{ moment(since) }}</span>
      </h2>
      <p v-if="!waiting.changes.length" class="quiet none">Nothing.</p>
      <ul v-else>
        <li v-for="c in waiting.changes.slice(0, 2 * few)" :key="`${c.what} ${c.key} ${c.at}`">
          <RouterLink :to="whereIs(c)">{{ c.name || `${c.what} ${c.key}` }}</RouterLink>
          <span class="quiet"
            >{{ c.what }}, {{ c.deed }} · {{ c.by }}, {{ moment(c.at)
            }}<template v-if="c.why">: “{{ c.why }}”</template></span
          >
        </li>
      </ul>
      <button v-if="waiting.changes.length" type="button" class="plain" @click="seen = waiting.now">
        I have read these
      </button>
    </section>
  </div>
</template>

<style scoped>
.waiting section {
  max-width: 1000px;
  margin-bottom: 18px;
}
ul {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 20px minmax(0, 1fr);
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
li > :not(:first-child) {
  grid-column: 2;
}
li > a:first-child,
li > a:first-child + .quiet {
  grid-column: 1 / -1;
}
li :deep(svg) {
  margin-top: 3px;
}
.count,
.since {
  font: 13px var(--sans);
  color: var(--ink-soft);
  margin-left: 4px;
}
.all,
.plain {
  display: inline-block;
  padding: 4px 0;
}
.none {
  margin: 2px 0;
}
</style>
