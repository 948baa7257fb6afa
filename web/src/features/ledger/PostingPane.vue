<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed } from "vue";
import { RouterLink } from "vue-router";
import type { Family, FieldOutcome, LedgerName, Posting } from "@/api/client";
import ActTold from "@/ui/ActTold.vue";
import BroughtBy from "@/ui/BroughtBy.vue";
import BandSignal from "@/ui/BandSignal.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import JournalTable from "@/features/ledger/JournalTable.vue";
import { families } from "@/ui/families";
import { dayInWords, inSentence, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";
import { useGoOn } from "@/ui/goOn";

const props = defineProps<{ posting: Posting; ledger: LedgerName }>();
const catalog = useCatalog();
const plan = usePlan();
const going = useGoOn();
const kind = computed(() => props.posting.summary.kind);

const told = (f: FieldOutcome) => f.final.text || f.acts.length || f.entered.text;
const groups = computed(() => [
  { line: 0, fields: props.posting.outcome.fields.filter(told) },
  ...props.posting.outcome.lines.map((l) => ({ line: l.number, fields: l.fields.filter(told) })),
]);
const made: Record<string, string> = {
  entered: "entered",
  stored: "as saved",
  source: "source",
  default: "default",
  compute: "compute",
  substitute: "substitute",
};

async function again() {
  const goOn = going();
  const d = props.posting.document;
  await plan.take(
    { ...d, record: props.ledger === "books" ? undefined : d.record },
    `As ${props.posting.summary.number}`,
  );
  await goOn({ path: "/plan", query: { ...plan.scope } });
}
</script>

<template>
  <section class="one" :aria-label="`Posting ${posting.summary.number}`">
    <div class="page-head">
      <h1>{{ posting.summary.number }}</h1>
      <span class="spring" />
      <RouterLink v-if="ledger === 'books'" class="button" :to="recordPlace(kind, posting.summary.number)">
        See the {{ inSentence(catalog.entry(kind)?.kind.label) }}
      </RouterLink>
      <button type="button" class="button" @click="again">Test it again on the plan</button>
    </div>
    <p v-if="posting.told === 'values'" class="notice">
      How the rules came to these values can no longer be computed: a value, a field or the program has
      changed since. The values are those that were posted.
    </p>
    <p class="quiet about">
      {{ catalog.typeName(posting.summary.type, kind) }} in
      {{ catalog.companyName(posting.summary.company) }}, on {{ dayInWords(posting.summary.day) }}. Posted
      {{ moment(posting.summary.postedAt) }} by {{ posting.summary.postedBy }}.
      <template v-if="posting.outcome.version?.book">
        By version {{ posting.outcome.version.book }} of the rule book<template
          v-if="posting.outcome.changes?.length"
        >
          with the changes of {{ posting.outcome.changes.length }}
          {{ posting.outcome.changes.length === 1 ? "rule" : "rules" }} that
          {{ posting.outcome.changes.length === 1 ? "was" : "were" }} not in force:
          {{
            posting.outcome.changes
              .map((c) => (c.rule ? `rule ${c.rule}` : c.name || "a new rule"))
              .join(", ")
          }}</template
        >.
      </template>
      <template v-if="posting.summary.reverses">
        It reverses
        <RouterLink :to="`/ledger/${encodeURIComponent(posting.summary.reverses)}?ledger=${ledger}`">{{
          posting.summary.reverses
        }}</RouterLink>.
      </template>
      <template v-if="posting.reversedBy">
        It is reversed by
        <RouterLink :to="`/ledger/${encodeURIComponent(posting.reversedBy)}?ledger=${ledger}`">{{
          posting.reversedBy
        }}</RouterLink>.
      </template>
    </p>
    <p v-for="p in posting.proofs" :key="p.key" class="about">
      Saved as proof {{ p.key }}:
      <RouterLink :to="`/proofs?proof=${p.key}&kind=${kind}`">{{ p.title }}</RouterLink>
    </p>
    <p v-for="(m, i) in posting.outcome.messages" :key="i" class="message">
      {{ catalog.label(m.field, m.line, kind) }}: {{ m.text }}
      <b v-if="m.reason">Reason given: {{ m.reason }}</b>
    </p>
    <p v-for="(w, i) in posting.outcome.followUps" :key="`write ${i}`" class="message written">
      {{ ledger === "practice" ? "Would write" : "Wrote" }} to
      <RouterLink :to="recordPlace(w.kind, w.number)">{{ w.number }} {{ w.title }}</RouterLink
      >: {{ w.label }} {{ w.before.text || "blank" }} → <b>{{ w.after.text || "blank" }}</b> (rule
      {{ w.rule }})
    </p>
    <JournalTable v-if="posting.entries.length" :entries="posting.entries" :ledger="ledger" without-posting />
    <table class="ledger">
      <thead>
        <tr>
          <th>Field</th>
          <th>Value</th>
          <th>Made by</th>
          <th>What the rules did</th>
        </tr>
      </thead>
      <tbody v-for="g in groups" :key="g.line">
        <tr v-if="g.line" class="line">
          <td colspan="4">Line {{ g.line }}</td>
        </tr>
        <tr v-for="f in g.fields" :key="f.key">
          <td>{{ catalog.label(f.key, undefined, kind) }}</td>
          <td>
            <b>{{ f.final.text || "blank" }}</b>
            <div v-if="f.entered.text && f.entered.text !== f.final.text" class="quiet">
              entered {{ f.entered.text }}
            </div>
          </td>
          <td class="nowrap">
            <FamilyGlyph v-if="f.made in families" :family="f.made as Family" /> {{ made[f.made] ?? "" }}
            <BandSignal v-if="f.band" :band="f.band" />
          </td>
          <td>
            <details
              v-for="a in f.acts"
              :key="a.rule"
              class="act"
              :class="`family-${a.family}`"
              :open="!g.line && a.did === 'acted' && f.acts.length < 3"
            >
              <summary>
                <FamilyGlyph :family="a.family as Family" /> rule {{ a.rule }}, version {{ a.version }}:
                {{ a.phrase }}
              </summary>
              <ActTold :act="a" />
              <BroughtBy v-if="a.did === 'acted'" :rule="a.rule" :version="a.version" />
            </details>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
.one {
  flex: 1.5;
  overflow: auto;
  padding: 16px 20px;
  border-left: 1px solid var(--rule-strong);
  background: var(--paper-raised);
}
.one :deep(th) {
  background: var(--paper-raised);
}
.one > .ledger {
  margin-bottom: 16px;
}
.about {
  margin: -6px 0 12px;
}
.message {
  border-left: 3px solid var(--validate);
  padding-left: 10px;
  margin: 0 0 10px;
}
.written {
  border-left-color: var(--follow-up);
}
.line td {
  font: 600 13px/1.4 var(--serif);
  background: var(--paper-sunk);
  padding-left: 8px;
}
.act summary {
  cursor: pointer;
  color: var(--hue);
}
.act + .act {
  margin-top: 3px;
}
</style>
