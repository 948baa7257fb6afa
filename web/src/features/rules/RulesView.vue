<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { api, ask, type Family, type RuleState, type RuleView, type Schemas } from "@/api/client";
import FamilyGlyph from "@/features/rules/FamilyGlyph.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useAttempt } from "@/ui/attempt";
import { filterNames, useRuleList } from "@/features/rules/ruleList";
import { families, stateWords } from "@/features/rules/families";
import { dayInWords } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const { rules, kind, problem, load, of, set, clear, found } = useRuleList();
watch([kind, () => catalog.kinds.length], () => void load(), { immediate: true });

const entry = computed(() => catalog.entry(kind.value));
const kinds = computed(() => [...catalog.kindOptions(true), { value: "all", label: "all records" }]);
const fields = computed(() => entry.value?.kind.fields ?? []);
function value(event: Event): string {
  return (event.target as HTMLInputElement | HTMLSelectElement).value;
}
const filtered = computed(() => filterNames.some((name) => of(name)));
// Many at once: what it would affect is told before it is done.
const marked = ref<number[]>([]);
const shown = computed(() => marked.value.filter((id) => found.value.some((r) => r.id === id)));
const { problem: refused, uses, count, busy, attempt } = useAttempt();
const asked = ref<{
  state: RuleState;
  affected: number;
  rules: RuleView[];
  inTheWay: Schemas["RuleInTheWay"][];
}>();
/** What cannot be moved whatever is said; the others need a reason. */
const stuck = computed(() => asked.value?.inTheWay.filter((r) => r.code !== "needs-reason") ?? []);
const unproved = computed(() => asked.value?.inTheWay.filter((r) => r.code === "needs-reason") ?? []);
const done = ref("");
const reason = ref("");
function mark(id: number, on: boolean) {
  marked.value = on ? [...marked.value, id] : marked.value.filter((other) => other !== id);
  asked.value = undefined;
}
function markAll(on: boolean) {
  marked.value = on ? found.value.filter((r) => r.state !== "retired").map((r) => r.id) : [];
  asked.value = undefined;
}
async function move(state: RuleState, dry: boolean) {
  done.value = "";
  await attempt(async () => {
    const body = { rules: shown.value, state, dry, reason: dry ? undefined : reason.value || undefined };
    const answer = await ask(api.POST("/rules/move", { body }));
    if (dry) {
      asked.value = { state, ...answer };
      return;
    }
    done.value = `${answer.rules.length} rules are ${stateWords[state]} now.`;
    asked.value = undefined;
    marked.value = [];
    await load();
  });
}
const deeds: { state: RuleState; label: string }[] = [
  { state: "suspended", label: "Suspend" },
  { state: "in force", label: "Put in force" },
  { state: "retired", label: "Retire" },
];

async function rename(r: RuleView) {
  await attempt(async () => {
    const body = { id: r.id, version: r.version, name: r.proposedName, body: r.body };
    await ask(api.PUT("/rules/{id}", { params: { path: { id: r.id } }, body }));
    await load();
  });
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1 class="of">
        Rules for
        <SentencePicker
          :value="kind || 'all'"
          label="Kind of record"
          :options="kinds"
          @change="set('kind', $event === 'all' ? '' : $event)"
        />
      </h1>
      <span class="quiet">{{ found.length }} of {{ rules?.length ?? 0 }}</span>
      <span class="spring" />
      <button v-if="filtered" type="button" class="plain" @click="clear">Show all</button>
      <input
        class="line search"
        type="search"
        :value="of('search')"
        placeholder="Names, formulas, notes"
        aria-label="Search rules"
        @input="set('search', value($event))"
      />
    </div>
    <div class="filters">
      <select class="line" :value="of('family')" aria-label="Family" @change="set('family', value($event))">
        <option value="">all families</option>
        <option v-for="(f, key) in families" :key="key" :value="key">{{ f.label }}</option>
      </select>
      <select
        class="line"
        :value="of('company')"
        aria-label="Company"
        @change="set('company', value($event))"
      >
        <option value="">all companies</option>
        <option v-for="c in catalog.catalog?.companies" :key="c.key" :value="c.key">
          {{ c.key }} {{ c.name }}
        </option>
      </select>
      <select
        class="line"
        :value="of('type')"
        aria-label="Type"
        :disabled="!entry"
        @change="set('type', value($event))"
      >
        <option value="">all types</option>
        <option v-for="t in entry?.types" :key="t.key" :value="t.key">{{ t.label }}</option>
      </select>
      <select class="line" :value="of('state')" aria-label="State" @change="set('state', value($event))">
        <option value="">all states</option>
        <option v-for="(words, key) in stateWords" :key="key" :value="key">{{ words }}</option>
      </select>
      <select
        class="line"
        :value="of('writes')"
        aria-label="Rules on the field"
        :disabled="!entry"
        :title="entry ? '' : 'Choose one kind of record first'"
        @change="set('writes', value($event))"
      >
        <option value="">on any field</option>
        <option v-for="f in fields" :key="f.key" :value="f.key">on {{ f.label }}</option>
      </select>
      <select
        class="line"
        :value="of('reads')"
        aria-label="Rules that read the field"
        :disabled="!entry"
        :title="entry ? '' : 'Choose one kind of record first'"
        @change="set('reads', value($event))"
      >
        <option value="">reading any field</option>
        <option v-for="f in fields" :key="f.key" :value="f.key">reading {{ f.label }}</option>
      </select>
    </div>
    <TroubleNote :problem="refused" :uses="uses" :count="count" />
    <p v-if="done" class="done" role="status">{{ done }}</p>
    <div v-if="shown.length" class="many" role="region" aria-label="Marked rules">
      <strong>{{ shown.length }} marked</strong>
      <template v-if="asked">
        <span>
          {{ asked.rules.length }} {{ asked.rules.length === 1 ? "rule" : "rules" }} would be
          {{ stateWords[asked.state] }}. They act in
          {{ asked.affected }}
          {{ asked.affected === 1 ? "record or document" : "records and documents" }} that are saved now;
          those stay as they are.
        </span>
        <ul v-if="asked.inTheWay.length" class="way">
          <li v-for="r in [...stuck, ...unproved]" :key="r.rule">
            <RouterLink :to="`/plan?rule=${r.rule}`">rule {{ r.rule }}, {{ r.name }}</RouterLink
            >: {{ r.detail }}
          </li>
        </ul>
        <input
          v-if="unproved.length && !stuck.length"
          v-model="reason"
          class="line reason"
          aria-label="Reason to put them in force"
          :placeholder="`Why all the same, though ${unproved.length} of them ${unproved.length === 1 ? 'asks' : 'ask'} for a reason`"
        />
        <button
          type="button"
          class="button first"
          :disabled="busy || !!stuck.length || (!!unproved.length && !reason.trim())"
          @click="move(asked.state, false)"
        >
          {{ deeds.find((d) => d.state === asked!.state)?.label }}
        </button>
        <button type="button" class="button" @click="asked = undefined">Leave them</button>
      </template>
      <template v-else>
        <button
          v-for="d in deeds"
          :key="d.state"
          type="button"
          class="button"
          :disabled="busy"
          @click="move(d.state, true)"
        >
          {{ d.label }} …
        </button>
        <button type="button" class="plain" @click="markAll(false)">Unmark</button>
      </template>
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
          <th>
            <input
              type="checkbox"
              aria-label="Mark all that are shown"
              :checked="
                shown.length > 0 && shown.length === found.filter((r) => r.state !== 'retired').length
              "
              @change="markAll(($event.target as HTMLInputElement).checked)"
            />
          </th>
          <th>No.</th>
          <th>Family</th>
          <th v-if="!entry">Kind</th>
          <th>Rule</th>
          <th>Asked by</th>
          <th>State</th>
          <th>Proofs</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in found" :key="r.id" :class="{ resting: r.state !== 'in force' }">
          <td>
            <input
              v-if="r.state !== 'retired'"
              type="checkbox"
              :aria-label="`Mark rule ${r.id}`"
              :checked="marked.includes(r.id)"
              @change="mark(r.id, ($event.target as HTMLInputElement).checked)"
            />
          </td>
          <td class="quiet">{{ r.id }}</td>
          <td class="family" :class="`family-${r.body.family}`">
            <FamilyGlyph :family="r.body.family as Family" /> {{ families[r.body.family as Family].label }}
          </td>
          <td v-if="!entry" class="quiet">{{ catalog.entry(r.body.kind)?.kind.label }}</td>
          <td>
            <RouterLink class="sentence" :to="`/plan?rule=${r.id}`">{{ r.sentence }}</RouterLink>
            <span v-if="!r.sound" class="wrong">{{
              r.problems.find((p) => p.severity === "error")?.message
            }}</span>
            <span v-if="r.name !== r.proposedName" class="named quiet"
              >named “{{ r.name }}”
              <button v-if="r.state !== 'retired'" type="button" class="plain" @click="rename(r)">
                Name it by what it does
              </button></span
            >
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
.way {
  flex: 1 1 100%;
  margin: 0;
  padding-left: 18px;
}
.search {
  width: 220px;
}
.filters {
  display: flex;
  gap: 8px;
  margin-bottom: 8px;
  flex-wrap: wrap;
}
.reason {
  width: 320px;
}
.filters select {
  width: auto;
  max-width: 200px;
}
.many {
  display: flex;
  gap: 10px;
  align-items: center;
  position: sticky;
  top: 0;
  z-index: 3;
  background: var(--select);
  padding: 7px 12px;
  margin-bottom: 8px;
}
.done {
  color: var(--good);
  margin: 0 0 8px;
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
.wrong,
.named {
  display: block;
  font-size: 12px;
}
.wrong {
  color: var(--refused);
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
