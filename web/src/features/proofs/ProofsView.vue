<script setup lang="ts">
import ProgressBar from "@/ui/ProgressBar.vue";
import { computed, nextTick, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import { api, type Proof } from "@/api/client";
import { change, useAsked } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import TroubleNote from "@/ui/TroubleNote.vue";
import { parseAddress } from "@/api/address";
import ActTold from "@/ui/ActTold.vue";
import ProofsHead from "@/features/proofs/ProofsHead.vue";
import { useProofRun } from "@/features/proofs/proofRun";
import { count, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";
import { useGoOn } from "@/ui/goOn";

const catalog = useCatalog();
const plan = usePlan();
const going = useGoOn();
const route = useRoute();
const router = useRouter();
const runs = useProofRun();
const tried = useAttempt();
const open = ref<number>();
const removed = ref<Proof>();

const kind = computed(() => catalog.kind?.kind.key ?? "");
const proofs = useAsked(
  () => (kind.value ? ["proofs", kind.value] : undefined),
  (signal) => api.GET("/proofs", { params: { query: { kind: kind.value } }, signal }),
);
const rule = computed(() => Number(route.query.rule) || 0);
const failedOnly = computed(() => route.query.show === "failed");
/** A company and a type to look at alone; none: all. */
const where = computed(() => {
  const of = (name: string) => (route.query[name] ? String(route.query[name]) : undefined);
  return { company: of("company"), type: of("type") };
});

async function runAll() {
  const { company, type } = where.value;
  await tried.attempt(() => runs.run({ kind: kind.value, ofRule: rule.value || undefined, company, type }));
}

function runOne(p: Proof) {
  return tried.attempt(() => runs.run({ kind: kind.value, proofs: [p.id] }, true));
}

function firstFailure(): number | undefined {
  return [...runs.results.values()].find((r) => !r.held)?.proof;
}
async function begin() {
  open.value = undefined;
  await proofs.reload();
  if (proofs.data?.length) await runAll();
  const asked = Number(route.query.proof);
  open.value ??= asked || firstFailure(); // somebody may have opened one while they ran
  await nextTick();
  if (asked) document.querySelector(`[data-proof="${asked}"]`)?.scrollIntoView({ block: "center" });
}
onMounted(() => {
  // A link to a proof says of which records it is.
  const asked = String(route.query.kind ?? "");
  if (catalog.entry(asked)) catalog.chosen = asked;
  return begin();
});
watch(kind, begin);

const found = computed(() =>
  (proofs.data ?? [])
    .filter((p) => !rule.value || p.rules.includes(rule.value))
    .filter((p) => !where.value.company || p.given.company === where.value.company)
    .filter((p) => !where.value.type || p.given.type === where.value.type)
    .filter((p) => !failedOnly.value || runs.results.get(p.id)?.held === false)
    // Failures are what somebody came for.
    .sort(
      (a, b) => Number(runs.results.get(a.id)?.held ?? true) - Number(runs.results.get(b.id)?.held ?? true),
    ),
);

const resultOf = (p: Proof) => {
  const result = runs.results.get(p.id);
  return !result ? "not run" : result.held ? "passes" : "fails";
};
const list = useList<Proof>(
  () => found.value,
  () => [
    { label: "Result", value: resultOf, head: "state" },
    { label: "Proof", value: (p) => p.name },
    { label: "Where", value: (p) => `${catalog.typeName(p.given.type)} · ${p.given.company}` },
    { label: "Proves", value: (p) => p.rules.map((r) => `rule ${r}`).join(", ") },
    { label: "Number", value: (p) => p.id, fileOnly: true },
  ],
);
const shown = computed(() => list.rows);

function show(what: string) {
  void router.replace({ query: { ...route.query, show: what || undefined } });
}

async function onPlan(p: Proof) {
  const goOn = going();
  await plan.take(p.given, `Proof ${p.id}`);
  await goOn({ path: "/plan", query: { ...plan.scope } });
}

/** Why the new result is right, by the proof that is asked about. */
const accepting = ref<number>();
const why = ref("");
async function askWhy(p: Proof) {
  accepting.value = p.id;
  await nextTick();
  document.querySelector<HTMLInputElement>("input.why")?.focus();
}
function accept(p: Proof) {
  return tried.attempt(async () => {
    const body = { why: why.value, version: p.version };
    await change(api.POST("/proofs/{id}/accept", { params: { path: { id: p.id } }, body }));
    accepting.value = undefined;
    why.value = "";
    await runAll();
  });
}
function takeBack(p: Proof) {
  return tried.attempt(async () => {
    await change(api.POST("/proofs/{id}/take-back", { params: { path: { id: p.id } } }));
    await runAll();
  });
}
const opened = useAsked(
  () => (open.value ? ["proofs", "versions", open.value] : undefined),
  (signal) => api.GET("/proofs/{id}/versions", { params: { path: { id: open.value! } }, signal }),
);
const versions = computed(() => opened.data ?? []);

function remove(p: Proof) {
  return tried.attempt(async () => {
    await change(api.DELETE("/proofs/{id}", { params: { path: { id: p.id } } }));
    removed.value = p;
    await runAll();
  });
}

/** Opening a proof is reading it: one that was only suggested is marked no more. */
async function toggle(p: Proof) {
  open.value = open.value === p.id ? undefined : p.id;
  if (open.value !== p.id || !p.unread) return;
  await tried.attempt(async () => {
    await change(api.POST("/proofs/{id}/read", { params: { path: { id: p.id } } }));
  });
}
function refresh(p: Proof) {
  return tried.attempt(async () => {
    await change(api.POST("/proofs/{id}/refresh", { params: { path: { id: p.id } } }));
    await runAll();
  });
}

function putBack() {
  const p = removed.value;
  if (!p) return;
  return tried.attempt(async () => {
    await change(
      api.POST("/proofs", { body: { document: p.given, name: p.name, rules: p.rules, expect: p.expect } }),
    );
    removed.value = undefined;
    await runAll();
  });
}
/** A field by its address, as people call it. */
function named(address: string): string {
  const { key, line } = parseAddress(address);
  return catalog.label(key, line);
}
const what = {
  verdict: "Verdict",
  value: "Value",
  message: "Message",
  band: "Band",
  manner: "Met as",
  write: "Written",
  rule: "Rule",
};
</script>

<template>
  <div class="page">
    <ProofsHead>
      <span v-if="runs.results.size || runs.running || runs.stopped" class="summary" role="status">
        <b class="held">{{ runs.held }} {{ runs.held === 1 ? "passes" : "pass" }}</b
        >,
        <b :class="runs.failed ? 'failed' : ''"
          >{{ runs.failed }} {{ runs.failed === 1 ? "fails" : "fail" }}</b
        >
        <span v-if="runs.running || runs.stopped" class="quiet">
          · {{ count(runs.results.size) }} of {{ count(runs.total) }} run{{
            runs.stopped ? ", then stopped" : ""
          }}</span
        >
        <span v-else-if="runs.ranAt" class="quiet"> · run {{ moment(runs.ranAt.toISOString()) }}</span>
      </span>
      <span v-if="rule" class="quiet">
        of rule {{ rule }} <RouterLink to="/proofs">show all</RouterLink>
      </span>
      <span v-if="where.company || where.type" class="quiet">
        {{ where.type ? catalog.typeName(where.type) : "" }} {{ where.company }}
        <RouterLink to="/proofs">show all</RouterLink>
      </span>
      <span class="spring" />
      <button type="button" class="plain" @click="show(failedOnly ? '' : 'failed')">
        {{ failedOnly ? "Show all" : "Show failures only" }}
      </button>
      <ListExport name="Proofs" :list="list" />
      <button v-if="runs.running" type="button" class="button" @click="runs.stop">Stop</button>
      <button v-else type="button" class="button first" @click="runAll">Run all proofs</button>
    </ProofsHead>
    <ProgressBar v-if="runs.running" wide label="Proofs run" :done="runs.results.size" :total="runs.total" />
    <p v-if="removed" class="removed" role="status">
      Removed “{{ removed.name }}”. <button type="button" class="plain" @click="putBack">Undo</button>
    </p>
    <TroubleNote :problem="proofs.problem" :retry="proofs.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="proofs.data && !shown.length" class="empty">
      <template v-if="failedOnly">No proof fails.</template>
      <template v-else>
        No proofs here. Type a test document into <RouterLink to="/plan">the plan</RouterLink> and keep it.
      </template>
    </p>
    <table v-else class="ledger">
      <ListHead :list="list" />
      <tbody v-for="p in shown" :key="p.id" :data-proof="p.id">
        <tr class="line-of" @click="toggle(p)">
          <td class="state">
            <span v-if="!runs.results.get(p.id)" class="quiet">not run</span>
            <span v-else-if="runs.results.get(p.id)?.held" class="held"
              ><span class="sign" aria-hidden="true">✓</span> passes</span
            >
            <span v-else class="failed"><span class="sign" aria-hidden="true">✕</span> fails</span>
          </td>
          <td>
            <button type="button" class="name" :aria-expanded="open === p.id">{{ p.name }}</button>
            <em v-if="p.unread" class="unread" title="It was suggested and accepted; opening it is reading it"
              >not read yet</em
            >
          </td>
          <td class="quiet nowrap">{{ catalog.typeName(p.given.type) }} · {{ p.given.company }}</td>
          <td class="quiet">
            <template v-if="p.rules.length"
              >{{ p.rules.length === 1 ? "rule" : "rules" }} {{ p.rules.join(", ") }}</template
            >
            <template v-else>no rule named</template>
          </td>
        </tr>
        <tr v-if="open === p.id" class="detail">
          <td />
          <td colspan="3">
            <p v-if="runs.results.get(p.id)?.error" class="failed">
              {{ runs.results.get(p.id)?.error }}
            </p>
            <table v-if="runs.results.get(p.id)?.differences.length" class="differences">
              <thead>
                <tr>
                  <th>Differs</th>
                  <th>Expected</th>
                  <th>Actual</th>
                  <th>Journey of the field</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(d, i) in runs.results.get(p.id)?.differences" :key="i">
                  <td>
                    {{ d.label ?? what[d.what]
                    }}<span v-if="d.label && d.what === 'message'" class="quiet">, message</span>
                  </td>
                  <td class="expected">
                    {{ d.expected || (d.what === "message" ? "no message" : "blank") }}
                  </td>
                  <td class="failed">
                    {{ d.actual || (d.what === "message" ? "no message" : "blank") }}
                  </td>
                  <td>
                    <div v-for="a in d.acts" :key="a.rule" class="step">
                      <RouterLink :to="`/plan?rule=${a.rule}`">rule {{ a.rule }}</RouterLink> (version
                      {{ a.version }})
                      <ActTold :act="a" />
                    </div>
                    <span v-if="!d.acts?.length" class="quiet">no rule stands there</span>
                  </td>
                </tr>
              </tbody>
            </table>
            <p v-else class="quiet">
              Expects {{ p.expect.verdict
              }}<template v-for="(v, key) in p.expect.values" :key="key"
                >; {{ named(String(key)) }} {{ v || "blank" }}</template
              ><template v-for="(m, i) in p.expect.messages ?? []" :key="i"
                >; {{ m.severity }}: {{ m.rule ? `rule ${m.rule}` : m.code || "the field itself"
                }}<template v-if="m.field"> on {{ named(m.field) }}</template></template
              >.
            </p>
            <p v-if="runs.results.get(p.id)?.since?.length" class="since">
              Changed since it was saved
              <template v-for="(c, i) in runs.results.get(p.id)!.since" :key="c.rule"
                ><template v-if="i">, </template
                ><RouterLink :to="`/plan?rule=${c.rule}`">rule {{ c.rule }}</RouterLink>
                {{
                  !c.from ? "is new" : !c.to ? "is gone" : `was changed (version ${c.from} to ${c.to})`
                }}</template
              >.
            </p>
            <p
              v-else-if="runs.results.get(p.id)?.held === false && !runs.results.get(p.id)?.error"
              class="quiet"
            >
              No rule has changed since it was saved: it has never passed, or the data it reads has changed.
            </p>
            <p v-if="p.posting" class="quiet">
              Posted to the practice ledger as
              <RouterLink :to="`/ledger/${encodeURIComponent(p.posting)}?ledger=practice`">{{
                p.posting
              }}</RouterLink>.
            </p>
            <p v-for="v in versions.slice(0, 4)" :key="v.version" class="quiet">
              Version {{ v.version }}, {{ v.what
              }}<template v-if="v.changedAt">, {{ moment(v.changedAt) }}</template
              ><template v-if="v.changedBy"> by {{ v.changedBy }}</template
              ><template v-if="v.why">: “{{ v.why }}”</template>
            </p>
            <form v-if="accepting === p.id" class="deeds" @submit.prevent="accept(p)">
              <input
                v-model="why"
                class="line why"
                aria-label="Why the new result is right"
                placeholder="Why is the new result right?"
              />
              <button type="submit" class="button first" :disabled="!why.trim()">
                Accept the new result
              </button>
              <button type="button" class="button" @click="accepting = undefined">Cancel</button>
            </form>
            <div class="deeds">
              <button type="button" class="button" :disabled="runs.running" @click="runOne(p)">Run it</button>
              <button type="button" class="button" @click="onPlan(p)">Open on the plan</button>
              <button
                v-if="runs.results.get(p.id)?.held === false && accepting !== p.id"
                type="button"
                class="button"
                @click="askWhy(p)"
              >
                Accept the new result …
              </button>
              <button
                v-if="versions.length > 1"
                type="button"
                class="button"
                title="Back to what it was before the last change"
                @click="takeBack(p)"
              >
                Undo the last change
              </button>
              <button
                type="button"
                class="button"
                title="Uses linked records, standing values and crosswalk rows as they are now; expected values stay the same"
                @click="refresh(p)"
              >
                Update linked data
              </button>
              <button type="button" class="button" @click="remove(p)">Remove</button>
            </div>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.why {
  flex: 1;
}
.summary {
  font: 15px/1.3 var(--serif);
}
.held {
  color: var(--good);
}
.failed {
  color: var(--refused);
}
.sign {
  display: inline-block;
  width: 14px;
}
.state {
  width: 84px;
  white-space: nowrap;
}
.line-of {
  cursor: pointer;
}
.line-of:hover {
  background: color-mix(in srgb, var(--select) 50%, transparent);
}
.name {
  font: 15px/1.35 var(--serif);
  color: inherit;
  background: none;
  border: 0;
  padding: 0;
  text-align: left;
  cursor: pointer;
}
.detail td {
  border-bottom: 1px solid var(--rule-strong);
  padding-bottom: 12px;
}
.differences {
  border-collapse: collapse;
  width: 100%;
  background: var(--paper-raised);
}
.differences th,
.differences td {
  padding: 5px 12px;
  border-bottom: 1px solid var(--rule);
  vertical-align: top;
  position: static;
}
.expected {
  font-weight: 600;
}
.step + .step {
  margin-top: 6px;
}
.unread {
  color: var(--default);
  margin-left: 8px;
}
.deeds {
  display: flex;
  gap: 8px;
  margin-top: 8px;
}
.removed {
  border-left: 3px solid var(--ink);
  padding: 4px 10px;
}
</style>
