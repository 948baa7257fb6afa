<script setup lang="ts">
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, withRules } from "@/api/client";
import ConfirmMark from "@/features/proofs/ConfirmMark.vue";
import { count, dayInWords, format, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { useAsked } from "@/queries/client";
import { useShown } from "@/queries/codicils";
import DateInput from "@/ui/DateInput.vue";
import NoTypes from "@/ui/NoTypes.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** What was in force for a company and type, and what confirms it; made to be printed. */
const catalog = useCatalog();
const route = useRoute();

const router = useRouter();
const of = (name: string) => (route.query[name] ? String(route.query[name]) : "");
/** What the address says; a scope that it leaves out is the first there is. */
const query = computed(() => {
  const kind = catalog.entry(of("kind"))?.kind.key ?? catalog.kind?.kind.key ?? "";
  const companies = catalog.catalog?.companies ?? [];
  const company = companies.find((c) => c.key === of("company"))?.key ?? companies[0]?.key ?? "";
  const types = catalog.typesIn(company, kind);
  return { kind, company, type: types.find((t) => t.key === of("type"))?.key ?? types[0]?.key ?? "" };
});
function choose(next: Partial<{ kind: string; company: string; type: string }>) {
  void router.replace({ query: { ...query.value, ...next } });
}
const asked = useAsked(
  () => (query.value.type ? ["confirmation", "report", query.value, { ...format }] : undefined),
  (signal) => api.GET("/confirmation/report", { params: { query: query.value }, signal }),
);
const report = computed(() => asked.data);

const exported = computed(() =>
  withRules(`/api/v1/confirmation/report/export?${new URLSearchParams(query.value)}`),
);
const entry = computed(() => catalog.entry(query.value.kind));
const both = computed(
  () => report.value?.rules.filter((r) => r.confirmation.state === "proved both ways").length ?? 0,
);
const failing = computed(
  () => new Set(report.value?.rules.flatMap((r) => r.proofs.filter((p) => !p.held).map((p) => p.id))).size,
);
const shown = useShown();
/** The rules and proofs of a day that is over; blank: those in force. */
const day = computed({ get: () => shown.day, set: (of: string) => void shown.show(of) });
function print() {
  window.print();
}
</script>

<template>
  <div class="page report">
    <div class="page-head">
      <h1 class="of">
        Coverage of the rules for
        <SentencePicker
          :value="query.kind"
          label="Kind of record"
          :options="catalog.kindOptions(true)"
          @change="choose({ kind: $event })"
        />
        <SentencePicker
          :value="query.type"
          :label="entry?.kind.typeLabel ?? 'Type'"
          :options="catalog.typeOptions(query.company, query.kind)"
          @change="choose({ type: $event })"
        />
        in
        <SentencePicker
          :value="query.company"
          label="Company"
          :options="catalog.companyOptions"
          @change="choose({ company: $event })"
        />
      </h1>
      <span class="spring" />
      <a class="button unprinted" :href="exported" download="confirmation.csv">Save as CSV</a>
      <button type="button" class="button first unprinted" @click="print">Print</button>
    </div>
    <p class="unprinted">As it was on <DateInput v-model="day" label="As it was on" /></p>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <NoTypes v-if="query.company && !query.type" :kind="query.kind" :company="query.company" />
    <p v-else-if="!report && !asked.problem" class="quiet">Running the proofs…</p>
    <template v-else-if="report">
      <p class="head">
        {{ catalog.typeName(report.type, report.kind) }} in {{ catalog.companyName(report.company) }}, as in
        force on {{ dayInWords(report.day) }}. Run {{ moment(report.ranAt) }} by {{ report.ranBy }}:
        <b>{{ both }}</b> of {{ report.rules.length }} rules are proved both ways,
        <b :class="{ failed: failing }">{{ failing }}</b> {{ failing === 1 ? "proof fails" : "proofs fail" }}.
        <template v-if="shown.day"
          >These are the rules and the proofs of that day, and what comes of them; proofs that were removed
          since are not among them.</template
        >
      </p>
      <section v-for="r in report.rules" :key="r.confirmation.rule">
        <h2>{{ r.confirmation.sentence }}</h2>
        <p>
          <ConfirmMark :state="r.confirmation.state" words />
          · rule {{ r.confirmation.rule }}, version {{ r.confirmation.version }} ·
          {{ count(r.confirmation.reached) }} of {{ count(r.confirmation.goals.length) }} shown ·
          {{ r.confirmation.strength?.noticed }} of {{ r.confirmation.strength?.mutants }} wrong versions
          noticed
        </p>
        <p v-if="r.note.askedBy || r.note.why" class="quiet">
          Asked by {{ r.note.askedBy || "nobody named"
          }}<template v-if="r.note.askedOn">, {{ dayInWords(r.note.askedOn) }}</template
          ><template v-if="r.note.why">: {{ r.note.why }}</template>
        </p>
        <p v-if="r.reason && r.confirmation.state !== 'proved both ways'" class="quiet">
          In force with a reason: {{ r.reason }}
        </p>
        <ul>
          <li v-for="p in r.proofs" :key="p.id" :class="{ failed: !p.held }">
            {{ p.held ? "✓ passes" : "✕ fails" }}: {{ p.name }}
            <span v-if="p.keptAt" class="quiet">{{ moment(p.keptAt) }} {{ p.keptBy }}</span>
            <template v-if="p.why">({{ p.why }})</template>
            <em v-if="p.unread">not read yet</em>
          </li>
          <li v-if="!r.proofs.length" class="failed">no proof</li>
        </ul>
      </section>
    </template>
  </div>
</template>

<style scoped>
.report {
  max-width: 980px;
}
.head {
  font: 16px/1.45 var(--serif);
}
section {
  border-top: 1px solid var(--rule);
  padding: 8px 0;
  break-inside: avoid;
}
h2 {
  font-size: 15px;
  margin: 0 0 2px;
}
p {
  margin: 0 0 3px;
}
ul {
  margin: 2px 0 0;
  padding-left: 18px;
  list-style: none;
}
.failed {
  color: var(--refused);
}
a.button {
  text-decoration: none;
}
@media print {
  .unprinted {
    display: none;
  }
}
</style>
