<script setup lang="ts">
import { computed, ref } from "vue";
import { api, ask, type StandingView } from "@/api/client";
import CellProblem from "@/ui/CellProblem.vue";
import ColumnEditor from "@/features/tables/ColumnEditor.vue";
import EntryForm from "@/ui/EntryForm.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import ValueCell from "@/features/tables/ValueCell.vue";
import { allRead, shown } from "@/features/tables/cells";
import { useEntryForm } from "@/ui/entryForm";
import { problemAt, useLiveCheck } from "@/ui/liveCheck";
import { useCatalog } from "@/queries/catalog";

/** Values that everybody should get for a period, by company or for all. */
const catalog = useCatalog();
const all = ref<StandingView[]>([]);
const path = (view: StandingView) => ({ params: { path: { key: view.standing.field.key } } });
const { draft, adding, busy, trouble, edit, save, remove, leave, reload } = useEntryForm<StandingView>({
  blank: () => ({
    standing: {
      field: { key: "", label: "", section: "", type: "number", decimals: 2 },
      note: "",
      periods: [{ company: "", from: "", until: "", value: "" }],
    },
    version: 0,
    problems: [],
    notices: [],
  }),
  save: async (view) => {
    await allRead();
    const { standing, version } = view;
    await ask(api.PUT("/tables/standing/{key}", { ...path(view), body: { standing, version } }));
  },
  remove: (view) => ask(api.DELETE("/tables/standing/{key}", path(view))),
  reload: async () => (all.value = await ask(api.GET("/tables/standing"))),
});
void reload();

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

// Rows stay where they are typed: only what is wrong and what is ahead is taken over.
const checked = useLiveCheck(
  () => draft.value?.standing,
  (standing) => ask(api.POST("/tables/standing/check", { body: standing })),
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
  return problemAt(checked.value?.problems, sortedRows.value.indexOf(row), column);
}
const tableProblems = computed(() => checked.value?.problems.filter((p) => p.row < 0) ?? []);

function now(view: StandingView): string {
  const today = catalog.catalog?.today ?? "";
  const current = (view.standing.periods ?? []).filter(
    (p) => (!p.from || p.from <= today) && (!p.until || today <= p.until),
  );
  return current.map((p) => `${p.company || "all"}: ${shown(view.standing.field, p.value)}`).join(" · ");
}
</script>

<template>
  <div class="page-head">
    <h1>Standing values</h1>
    <span class="quiet">Rules read them as <code>standing.key</code>, on the date of the document.</span>
    <span class="spring" />
    <button type="button" class="button" @click="edit()">Add a standing value</button>
  </div>
  <TroubleNote v-if="!draft" v-bind="trouble" />
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
        <td>{{ catalog.traits(v.standing.field.type).label }}</td>
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

  <EntryForm
    v-if="draft"
    label="Standing value"
    :title="adding ? 'New standing value' : draft.standing.field.label"
    :trouble="trouble"
    :busy="busy"
    :adding="adding"
    @save="save"
    @leave="leave"
    @remove="remove"
  >
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
            <ValueCell
              v-model="p.value"
              :field="draft.standing.field"
              :aria-label="`Value of period ${i + 1}`"
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
    <template #buttons>
      <button type="button" class="button" @click="addPeriod">Add a period</button>
    </template>
  </EntryForm>
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
