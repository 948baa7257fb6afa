<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import { useSession } from "@/queries/session";
import { api, ask, type Family, type RuleState, type RuleView, type Schemas } from "@/api/client";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import ExportRows from "@/ui/ExportRows.vue";
import SortHead from "@/ui/SortHead.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { change } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { filterNames, useRuleList } from "@/features/rules/ruleList";
import { families, stateWords } from "@/ui/families";
import { count, moment, written } from "@/queries/format";
import { useOtherWriters } from "@/features/rules/writers";
import { used } from "@/features/rules/used";
import { useStrengths } from "@/features/rules/strengths";
import ConfirmMark from "@/features/proofs/ConfirmMark.vue";
import { useSorting } from "@/ui/sorting";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const list = useRuleList();

const entry = computed(() => catalog.entry(list.kind));
const kinds = computed(() => [...catalog.kindOptions(true), { value: "all", label: "all records" }]);
const fields = computed(() => entry.value?.kind.fields ?? []);
function value(event: Event): string {
  return (event.target as HTMLInputElement | HTMLSelectElement).value;
}
const others = useOtherWriters(
  () => list.kind,
  () => list.of("writes"),
);
const strengths = useStrengths(() => [...new Set((list.rules ?? []).map((r) => r.body.kind))]);
const percentOf = (r: RuleView) => strengths.percent.value.get(r.id);
const tags = computed(() => [...new Set((list.rules ?? []).flatMap((r) => r.body.note.tags ?? []))].sort());
const kindOf = (r: RuleView) => catalog.entry(r.body.kind)?.kind.label ?? r.body.kind;
const sorting = useSorting<RuleView>(() => list.found, {
  number: (r) => r.id,
  family: (r) => families[r.body.family as Family].label,
  kind: kindOf,
  rule: (r) => (r.named ? r.name : r.sentence),
  why: (r) => r.body.note.why || r.body.note.askedBy,
  changed: (r) => r.changedAt,
  state: (r) => stateWords[r.state],
  acted: (r) => r.use?.acted ?? 0,
  proofs: (r) => r.proofs.length,
  strength: percentOf,
});
const sheetHead = [
  "Rule",
  "Kind",
  "Family",
  "Name",
  "Sentence",
  "Tags",
  "Asked by",
  "Asked on",
  "Why",
  "Changed",
  "Changed by",
  "State",
  "Acted",
  "Acted last",
  "Records with its value",
  "Proofs",
  "Strength in %",
];
function sheet() {
  return sorting.rows.map((r) => {
    const { note } = r.body;
    return [
      { text: String(r.id), exact: true },
      ...[
        kindOf(r),
        families[r.body.family as Family].label,
        r.named ? r.name : "",
        r.sentence,
        (note.tags ?? []).join(", "),
        note.askedBy,
        note.askedOn,
        note.why,
        r.changedAt ?? "",
        r.changedBy ?? "",
        stateWords[r.state],
      ].map((text) => ({ text })),
      { text: String(r.use?.acted ?? ""), exact: true },
      { text: r.use?.last ?? "" },
      { text: String(r.use?.standing ?? ""), exact: true },
      { text: String(r.proofs.length), exact: true },
      { text: String(percentOf(r) ?? ""), exact: true },
    ];
  });
}
const filtered = computed(() => filterNames.some((name) => list.of(name)));
// Many at once: what it would affect is told before it is done.
const marked = ref<number[]>([]);
const shown = computed(() => marked.value.filter((id) => list.found.some((r) => r.id === id)));
const tried = useAttempt();
const asked = ref<{
  state: RuleState;
  affected: number;
  looked: number;
  whole: boolean;
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
  marked.value = on ? list.found.filter((r) => r.state !== "retired").map((r) => r.id) : [];
  asked.value = undefined;
}
async function move(state: RuleState, dry: boolean) {
  done.value = "";
  await tried.attempt(async () => {
    const body = { rules: shown.value, state, dry, reason: dry ? undefined : reason.value || undefined };
    const answer = await (dry ? ask : change)(api.POST("/rules/move", { body }));
    if (dry) {
      asked.value = { state, ...answer };
      return;
    }
    done.value = `${answer.rules.length} rules are ${stateWords[state]} now.`;
    asked.value = undefined;
    marked.value = [];
  });
}
const deeds: { state: RuleState; label: string }[] = [
  { state: "suspended", label: "Suspend" },
  { state: "in force", label: "Put in force" },
  { state: "retired", label: "Retire" },
];
const session = useSession();
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1 class="of">
        Rules for
        <SentencePicker
          :value="list.kind || 'all'"
          label="Kind of record"
          :options="kinds"
          @change="list.set('kind', $event === 'all' ? '' : $event)"
        />
      </h1>
      <span class="quiet">{{ count(list.found.length) }} of {{ count(list.rules?.length ?? 0) }}</span>
      <RouterLink
        v-if="session.everywhere"
        :to="{ path: '/rules/learned', query: { kind: list.kind || undefined } }"
        >Learn from records</RouterLink
      >
      <span class="spring" />
      <ExportRows name="rules" :head="sheetHead" :rows="sheet" />
      <button v-if="filtered" type="button" class="plain" @click="list.clear">Show all</button>
      <input
        class="line search"
        type="search"
        :value="list.of('search')"
        placeholder="Names, tags, formulas, notes"
        aria-label="Search rules"
        @input="list.set('search', value($event))"
      />
    </div>
    <div class="filters">
      <SelectBox
        :model-value="list.of('family')"
        label="Family"
        :options="[
          { value: '', label: 'all families' },
          ...Object.entries(families).map(([key, f]) => ({ value: key, label: f.label })),
        ]"
        @change="list.set('family', $event)"
      />
      <SelectBox
        :model-value="list.of('company')"
        label="Company"
        :options="[{ value: '', label: 'all companies' }, ...catalog.companyOptions]"
        @change="list.set('company', $event)"
      />
      <SelectBox
        :model-value="list.of('type')"
        label="Type"
        :disabled="!entry"
        :options="[
          { value: '', label: 'all types' },
          ...(entry?.types ?? []).map((t) => ({ value: t.key, label: t.label })),
        ]"
        @change="list.set('type', $event)"
      />
      <SelectBox
        :model-value="list.of('state')"
        label="State"
        :options="[
          { value: '', label: 'all states' },
          ...Object.entries(stateWords).map(([key, words]) => ({ value: key, label: words })),
        ]"
        @change="list.set('state', $event)"
      />
      <SelectBox
        :model-value="list.of('writes')"
        label="Rules on the field"
        :disabled="!entry"
        :title="entry ? '' : 'Choose one kind of record first'"
        :options="[
          { value: '', label: 'on any field' },
          ...fields.map((f) => ({ value: f.key, label: `on ${f.label}` })),
        ]"
        @change="list.set('writes', $event)"
      />
      <SelectBox
        :model-value="list.of('reads')"
        label="Rules that read the field"
        :disabled="!entry"
        :title="entry ? '' : 'Choose one kind of record first'"
        :options="[
          { value: '', label: 'reading any field' },
          ...fields.map((f) => ({ value: f.key, label: `reading ${f.label}` })),
        ]"
        @change="list.set('reads', $event)"
      />
      <SelectBox
        v-if="tags.length"
        :model-value="list.of('tag')"
        label="Tag"
        :options="[{ value: '', label: 'any tag' }, ...tags.map((t) => ({ value: t, label: t }))]"
        @change="list.set('tag', $event)"
      />
    </div>
    <p v-if="others.followUps.value.length || others.carried.value.length" class="others">
      Also written by
      <template v-for="(r, i) in others.followUps.value" :key="r.id"
        ><template v-if="i">, </template
        ><RouterLink :to="`/plan?rule=${r.id}`" :title="r.sentence"
          >rule {{ r.id }}, after posting</RouterLink
        ></template
      ><template v-for="(m, i) in others.carried.value" :key="m.id"
        ><template v-if="i || others.followUps.value.length">, </template
        ><RouterLink to="/tables/maps">{{ m.name }}</RouterLink></template
      >.
    </p>
    <TroubleNote v-bind="tried.trouble" />
    <TroubleNote :problem="list.problem" :retry="list.reload" />
    <p v-if="done" class="done" role="status">{{ done }}</p>
    <div v-if="shown.length" class="many" role="region" aria-label="Selected rules">
      <strong>{{ shown.length }} selected</strong>
      <template v-if="asked">
        <span>
          {{ asked.rules.length }} {{ asked.rules.length === 1 ? "rule" : "rules" }} would be
          {{ stateWords[asked.state] }}. They act in
          {{ count(asked.affected) }}
          <template v-if="asked.whole">{{
            asked.affected === 1 ? "record or document that is" : "records and documents that are"
          }}</template><template v-else
            >of the first {{ count(asked.looked) }} records and documents that are</template
          >
          saved now; those stay as they are.
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
          :disabled="tried.busy || !!stuck.length || (!!unproved.length && !reason.trim())"
          @click="move(asked.state, false)"
        >
          {{ deeds.find((d) => d.state === asked!.state)?.label }}
        </button>
        <button type="button" class="button" @click="asked = undefined">Cancel</button>
      </template>
      <template v-else>
        <button
          v-for="d in deeds"
          :key="d.state"
          type="button"
          class="button"
          :disabled="tried.busy"
          @click="move(d.state, true)"
        >
          {{ d.label }} …
        </button>
        <button type="button" class="plain" @click="markAll(false)">Clear selection</button>
      </template>
    </div>
    <p v-if="list.rules && !list.rules.length" class="empty">
      No rules yet. <RouterLink to="/plan">Open the plan</RouterLink>, choose a cell and write the first.
    </p>
    <p v-else-if="list.rules && !list.found.length" class="empty">
      No results. Change the search or the filters.
    </p>
    <table v-else class="ledger">
      <thead>
        <tr>
          <th>
            <input
              type="checkbox"
              aria-label="Select all shown"
              :checked="
                shown.length > 0 && shown.length === list.found.filter((r) => r.state !== 'retired').length
              "
              @change="markAll(($event.target as HTMLInputElement).checked)"
            />
          </th>
          <SortHead column="number" :sorting="sorting">No.</SortHead>
          <SortHead column="family" :sorting="sorting">Family</SortHead>
          <SortHead v-if="!entry" column="kind" :sorting="sorting">Kind</SortHead>
          <SortHead column="rule" :sorting="sorting">Rule</SortHead>
          <SortHead column="why" :sorting="sorting">Why</SortHead>
          <SortHead column="changed" :sorting="sorting">Last change</SortHead>
          <SortHead column="state" :sorting="sorting">State</SortHead>
          <SortHead column="acted" :sorting="sorting">Acted</SortHead>
          <SortHead column="proofs" :sorting="sorting">Proofs</SortHead>
          <SortHead column="strength" :sorting="sorting">Strength</SortHead>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in sorting.rows" :key="r.id" :class="{ resting: r.state !== 'in force' }">
          <td>
            <input
              v-if="r.state !== 'retired'"
              type="checkbox"
              :aria-label="`Select rule ${r.id}`"
              :checked="marked.includes(r.id)"
              @change="mark(r.id, ($event.target as HTMLInputElement).checked)"
            />
          </td>
          <td class="quiet">{{ r.id }}</td>
          <td class="family" :class="`family-${r.body.family}`">
            <FamilyGlyph :family="r.body.family as Family" /> {{ families[r.body.family as Family].label }}
          </td>
          <td v-if="!entry" class="quiet">{{ kindOf(r) }}</td>
          <td>
            <span v-if="r.named" class="named"
              ><strong>{{ r.name }}</strong></span
            >
            <RouterLink class="sentence" :to="`/plan?rule=${r.id}`">{{ r.sentence }}</RouterLink>
            <span v-if="!r.sound" class="wrong">{{
              r.problems.find((p) => p.severity === "error")?.message
            }}</span>
            <span v-if="r.body.note.tags?.length" class="tags">
              <button
                v-for="t in r.body.note.tags"
                :key="t"
                type="button"
                :title="`Show the rules tagged ${t}`"
                @click="list.set('tag', t)"
              >
                {{ t }}
              </button>
            </span>
          </td>
          <td class="why">
            {{ r.body.note.why }}
            <span v-if="r.body.note.askedBy" class="quiet"
              >{{ r.body.note.askedBy
              }}<template v-if="r.body.note.askedOn">, {{ written(r.body.note.askedOn) }}</template></span
            >
          </td>
          <td class="asked">
            <template v-if="r.changedAt">{{ moment(r.changedAt) }}<br />{{ r.changedBy }}</template>
          </td>
          <td class="state">{{ stateWords[r.state] }}</td>
          <td class="asked" :title="used(r)">
            <span v-if="!r.use?.acted" class="quiet">never</span>
            <template v-else>{{ count(r.use.acted) }}<br />{{ moment(r.use.last ?? "") }}</template>
          </td>
          <td>
            <RouterLink v-if="r.proofs.length" :to="`/proofs?rule=${r.id}`">{{
              r.proofs.length
            }}</RouterLink><span v-else class="quiet">none</span>
          </td>
          <td class="nowrap">
            <ConfirmMark
              v-if="strengths.found.value.get(r.id)"
              :state="strengths.found.value.get(r.id)!.state"
            />
            <template v-if="percentOf(r) !== undefined"> {{ percentOf(r) }} %</template>
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
.filters .el-select {
  width: 176px;
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
.others {
  margin: 0 0 8px;
}
.why {
  width: 190px;
  font-size: 12px;
}
.why .quiet {
  display: block;
}
.tags {
  display: flex;
  flex-wrap: wrap;
  gap: 3px;
}
.tags button {
  font: 11px/16px var(--sans);
  color: var(--ink-soft);
  background: none;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  padding: 0 5px;
  cursor: pointer;
}
.asked,
.state {
  white-space: nowrap;
  color: var(--ink-soft);
  font-size: 12px;
}
</style>
