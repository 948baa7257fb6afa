<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { api, ask, type StandingView } from "@/api/client";
import CellProblem from "@/components/CellProblem.vue";
import ColumnEditor from "@/components/ColumnEditor.vue";
import TroubleNote from "@/components/TroubleNote.vue";
import { useAttempt } from "@/composables/attempt";
import { fieldTypes } from "@/fieldTypes";
import { useCatalog } from "@/stores/catalog";

/** Values that everybody should get for a period, by company or for all. */
const catalog = useCatalog();
const { problem, uses, count, busy, attempt } = useAttempt();
const all = ref<StandingView[]>([]);
const draft = ref<StandingView>();
const adding = ref(false);

async function load() {
  await attempt(async () => (all.value = await ask(api.GET("/tables/standing"))));
}
void load();

function edit(view?: StandingView) {
  problem.value = "";
  adding.value = !view;
  draft.value = JSON.parse(
    JSON.stringify(
      view ?? {
        standing: {
          field: { key: "", label: "", section: "", type: "number", decimals: 2 },
          note: "",
          periods: [],
        },
        version: 0,
        problems: [],
        notices: [],
      },
    ),
  ) as StandingView;
  if (!view) addPeriod();
}

/** A period after the last of the company begins the day after that ends. */
function addPeriod() {
  const periods = (draft.value!.standing.periods ??= []);
  const last = periods.at(-1);
  let from = "";
  if (last?.until) {
    const day = new Date(`${last.until}T12:00:00Z`);
    day.setUTCDate(day.getUTCDate() + 1);
    from = day.toISOString().slice(0, 10);
  }
  periods.push({ company: last?.company ?? "", from, until: "", value: "" });
}

const check = useDebounceFn(async () => {
  if (!draft.value) return;
  const asked = JSON.stringify(draft.value.standing);
  const answer = await ask(api.POST("/tables/standing/check", { body: draft.value.standing })).catch(
    () => undefined,
  );
  // Rows stay where they are typed: only what is wrong and what is ahead is taken over.
  if (answer && draft.value && JSON.stringify(draft.value.standing) === asked) checked.value = answer;
}, 200);
const checked = ref<StandingView>();
watch(
  () => JSON.stringify(draft.value?.standing),
  (now) => (now ? void check() : (checked.value = undefined)),
);
/** Problems by row as it stands here: the server sorts the rows by company and day. */
const sortedRows = computed(() => {
  const periods = draft.value?.standing.periods ?? [];
  return periods
    .map((p, i) => ({ p, i }))
    .sort((a, b) => a.p.company.localeCompare(b.p.company) || a.p.from.localeCompare(b.p.from) || a.i - b.i)
    .map(({ i }) => i);
});
function wrong(row: number, column: string): string {
  const place = sortedRows.value.indexOf(row);
  return checked.value?.problems.find((p) => p.row === place && p.column === column)?.message ?? "";
}
const tableProblems = computed(() => checked.value?.problems.filter((p) => p.row < 0) ?? []);

async function save() {
  const { standing, version } = draft.value!;
  const body = { standing, version };
  const params = { path: { key: standing.field.key } };
  if (await attempt(() => ask(api.PUT("/tables/standing/{key}", { params, body })))) {
    draft.value = undefined;
    await load();
  }
}
async function remove() {
  const params = { path: { key: draft.value!.standing.field.key } };
  if (await attempt(() => ask(api.DELETE("/tables/standing/{key}", { params })))) {
    draft.value = undefined;
    await load();
  }
}

function now(view: StandingView): string {
  const today = catalog.catalog?.today ?? "";
  const current = (view.standing.periods ?? []).filter(
    (p) => (!p.from || p.from <= today) && (!p.until || today <= p.until),
  );
  return current.map((p) => `${p.company || "all"}: ${p.value}`).join(" · ");
}
const percent = computed(() => draft.value?.standing.field.type === "percent");
</script>

<template>
  <div class="page-head">
    <h1>Standing values</h1>
    <span class="quiet">Rules read them as <code>standing.key</code>, on the date of the document.</span>
    <span class="spring" />
    <button type="button" class="button" @click="edit()">Add a standing value</button>
  </div>
  <TroubleNote v-if="!draft" :problem="problem" :uses="uses" :count="count" />
  <table class="ledger">
    <thead>
      <tr>
        <th>Value</th>
        <th>Key</th>
        <th>Type</th>
        <th>Today, by company</th>
        <th>To know ahead</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="v in all" :key="v.standing.field.key">
        <td>
          <button type="button" class="plain" @click="edit(v)">{{ v.standing.field.label }}</button>
          <div class="quiet">{{ v.standing.note }}</div>
        </td>
        <td>
          <code>{{ v.standing.field.key }}</code>
        </td>
        <td>{{ fieldTypes[v.standing.field.type] }}</td>
        <td>{{ now(v) }}</td>
        <td>
          <div v-for="(n, i) in v.notices" :key="i" class="notice">{{ n.message }}</div>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="!all.length" class="empty">
    There is no standing value yet. A freight rate, an approver, a limit that is agreed once a year belongs
    here.
  </p>

  <form v-if="draft" class="edit" aria-label="Standing value" @submit.prevent="save">
    <h2>{{ adding ? "New standing value" : draft.standing.field.label }}</h2>
    <TroubleNote :problem="problem" :uses="uses" :count="count" />
    <ColumnEditor v-model="draft.standing.field" :key-fixed="!adding" />
    <label
      ><span class="field-label">What it is for</span><input v-model="draft.standing.note" class="line"
    /></label>
    <p v-for="(p, i) in tableProblems" :key="i" class="notice">{{ p.message }}</p>
    <table class="ledger periods">
      <thead>
        <tr>
          <th>Company</th>
          <th>From</th>
          <th>Until</th>
          <th>Value</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(p, i) in draft.standing.periods" :key="i">
          <td>
            <select v-model="p.company" class="line" :aria-label="`Company of period ${i + 1}`">
              <option value="">all companies</option>
              <option v-for="c in catalog.catalog?.companies" :key="c.key" :value="c.key">
                {{ c.key }} {{ c.name }}
              </option>
            </select>
            <CellProblem :message="wrong(i, 'company')" />
          </td>
          <td>
            <input v-model="p.from" class="line" type="date" :aria-label="`First day of period ${i + 1}`" />
            <CellProblem :message="wrong(i, 'from')" />
          </td>
          <td>
            <input v-model="p.until" class="line" type="date" :aria-label="`Last day of period ${i + 1}`" />
            <CellProblem :message="wrong(i, 'until')" />
          </td>
          <td>
            <input
              v-model="p.value"
              class="line"
              :aria-label="`Value of period ${i + 1}`"
              :placeholder="percent ? '0.05 is 5 %' : ''"
            />
            <CellProblem :message="wrong(i, 'value')" />
          </td>
          <td>
            <button
              type="button"
              class="plain"
              :aria-label="`Remove period ${i + 1}`"
              @click="draft.standing.periods!.splice(i, 1)"
            >
              ×
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-for="(n, i) in checked?.notices" :key="i" class="notice">{{ n.message }}</p>
    <div class="buttons">
      <button type="button" class="button" @click="addPeriod">Add a period</button>
      <button type="submit" class="button first" :disabled="busy">Save</button>
      <button type="button" class="button" @click="draft = undefined">Leave it</button>
      <button v-if="!adding" type="button" class="button" :disabled="busy" @click="remove">Delete</button>
    </div>
  </form>
</template>

<style scoped>
.notice {
  color: var(--default);
  margin: 2px 0;
}
.periods {
  margin: 8px 0;
  max-width: 860px;
}
</style>
