<script setup lang="ts">
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import { api, ask, type StandingView } from "@/api/client";
import CellProblem from "@/ui/CellProblem.vue";
import ColumnEditor from "@/features/tables/ColumnEditor.vue";
import DateInput from "@/ui/DateInput.vue";
import TableEditor from "@/ui/TableEditor.vue";
import ValueCell from "@/features/tables/ValueCell.vue";
import { allRead, shown } from "@/queries/values";
import { useStanding } from "@/queries/tables";
import { useList } from "@/ui/list";
import { useTableEditor } from "@/ui/tableEditor";
import { problemAt, useWhileTyping } from "@/queries/whileTyping";
import { useCatalog } from "@/queries/catalog";

/** Values that everybody should get for a period, by company or for all. */
const catalog = useCatalog();
const all = useStanding();
const path = (view: StandingView) => ({ params: { path: { key: view.standing.field.key } } });
const table = useTableEditor<StandingView>({
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
  before: allRead,
  save: (view) => {
    const { standing, version } = view;
    return api.PUT("/tables/standing/{key}", { ...path(view), body: { standing, version } });
  },
  remove: (view) => api.DELETE("/tables/standing/{key}", path(view)),
});

/** A period after the last of the company begins the day after that ends. */
function addPeriod() {
  const periods = (table.draft!.standing.periods ??= []);
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
const checked = useWhileTyping(
  () => table.draft?.standing,
  (standing, signal) => ask(api.POST("/tables/standing/check", { body: standing, signal })),
);
function wrong(row: number, column: string): string {
  return problemAt(checked.answer?.problems, row, column);
}
const tableProblems = computed(() => checked.answer?.problems.filter((p) => p.row < 0) ?? []);

function now(view: StandingView): string {
  const today = catalog.catalog?.today ?? "";
  const current = (view.standing.periods ?? []).filter(
    (p) => (!p.from || p.from <= today) && (!p.until || today <= p.until),
  );
  return current.map((p) => `${p.company || "all"}: ${shown(view.standing.field, p.value)}`).join(" · ");
}
const list = useList<StandingView>(
  () => all.data ?? [],
  () => [
    { label: "Value", value: (v) => v.standing.field.label },
    { label: "Key", value: (v) => v.standing.field.key },
    { label: "Type", value: (v) => catalog.traits(v.standing.field.type).label },
    { label: "Today, by company", value: now },
    { label: "Coming up", value: (v) => v.notices.map((n) => n.message).join(". ") },
  ],
);
</script>

<template>
  <TableEditor
    :table="table"
    title="Standing values"
    add="Add a standing value"
    :list="list"
    form="Standing value"
    :form-title="table.adding ? 'New standing value' : (table.draft?.standing.field.label ?? '')"
    :empty="
      all.data && !all.data.length
        ? 'There is no standing value yet. A freight rate, an approver, a limit that is agreed once a year belongs here.'
        : ''
    "
    :problem="all.problem"
    :retry="all.reload"
  >
    <template #about>Rules read them as <code>standing.key</code>, on the date of the document.</template>
    <template #rows>
      <tr v-for="v in list.rows" :key="v.standing.field.key">
        <td>
          <button type="button" class="plain" @click="table.edit(v)">{{ v.standing.field.label }}</button>
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
    </template>
    <template v-if="table.draft" #default>
      <ColumnEditor v-model="table.draft.standing.field" :key-fixed="!table.adding" />
      <label
        ><span class="field-label">Purpose</span><input v-model="table.draft.standing.note" class="line"
      /></label>
      <p v-for="(p, i) in tableProblems" :key="i" class="notice">{{ p.message }}</p>
      <table class="ledger periods">
        <thead>
          <tr>
            <th class="company">Company</th>
            <th>From</th>
            <th>Until</th>
            <th>Value</th>
            <th><span class="visually-hidden">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(p, i) in table.draft.standing.periods" :key="i">
            <td>
              <SelectBox
                v-model="p.company"
                :label="`Company of period ${i + 1}`"
                :options="[{ value: '', label: 'all companies' }, ...catalog.companyOptions]"
              />
              <CellProblem :message="wrong(i, 'company')" />
            </td>
            <td>
              <DateInput v-model="p.from" :label="`First day of period ${i + 1}`" />
              <CellProblem :message="wrong(i, 'from')" />
            </td>
            <td>
              <DateInput v-model="p.until" :label="`Last day of period ${i + 1}`" />
              <CellProblem :message="wrong(i, 'until')" />
            </td>
            <td>
              <ValueCell
                v-model="p.value"
                :field="table.draft.standing.field"
                :label="`Value of period ${i + 1}`"
              />
              <CellProblem :message="wrong(i, 'value')" />
            </td>
            <td>
              <button
                type="button"
                class="plain"
                :aria-label="`Remove period ${i + 1}`"
                @click="table.draft.standing.periods!.splice(i, 1)"
              >
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-for="(n, i) in checked.answer?.notices" :key="i" class="notice">{{ n.message }}</p>
      <ThingHistory
        v-if="table.draft.version"
        what="standing"
        :of="table.draft.standing.field.key"
        :rows="
          table.draft.standing.periods?.map((p) => ({
            label: p.company || 'All companies',
            keys: [p.company],
          }))
        "
      />
    </template>
    <template #buttons>
      <button type="button" class="button" @click="addPeriod">Add a period</button>
    </template>
  </TableEditor>
</template>

<style scoped>
.notice {
  color: var(--default);
  margin: 2px 0;
}
.periods {
  margin: 8px 0;
  max-width: 980px;
}
.company {
  width: 230px;
}
</style>
