<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import { api, ask, type Schemas, type SeriesView } from "@/api/client";
import CellProblem from "@/ui/CellProblem.vue";
import TableEditor from "@/ui/TableEditor.vue";
import { useSeries } from "@/queries/tables";
import { useList } from "@/ui/list";
import { useTableEditor } from "@/ui/tableEditor";
import { problemAt, useWhileTyping } from "@/queries/whileTyping";
import { useCatalog } from "@/queries/catalog";

type Part = Schemas["SeriesPart"];

/** Number series, designed with the next numbers in sight. */
const catalog = useCatalog();
const all = useSeries();
const path = (view: SeriesView) => ({ params: { path: { key: view.series.key } } });
const table = useTableEditor<SeriesView>({
  blank: () => ({
    series: {
      key: "",
      label: "",
      note: "",
      parts: [
        { is: "text", text: "N" },
        { is: "counter", digits: 5 },
      ],
      start: 1,
      step: 1,
      end: 0,
      reset: "",
      byCompany: false,
    },
    version: 0,
    problems: [],
    counts: [],
    longest: 0,
  }),
  save: (view) => {
    const { series, version } = view;
    return api.PUT("/tables/series/{key}", { ...path(view), body: { series, version } });
  },
  remove: (view) => api.DELETE("/tables/series/{key}", path(view)),
});

const partNames: { value: Part["is"]; label: string }[] = [
  { value: "text", label: "text" },
  { value: "counter", label: "counter" },
  { value: "year", label: "year" },
  { value: "year, two digits", label: "year, two digits" },
  { value: "month", label: "month" },
  { value: "day", label: "day" },
  { value: "company", label: "company" },
  { value: "type", label: "type" },
  { value: "check digit", label: "check digit" },
  { value: "random", label: "random digits" },
];

const checked = useWhileTyping(
  () => table.draft?.series,
  (series, signal) => ask(api.POST("/tables/series/preview", { body: series, signal })),
);
const wrong = (row: number) => problemAt(checked.answer?.problems, row);
const wholeProblems = computed(() => checked.answer?.problems.filter((p) => p.row < 0) ?? []);

function setKind(i: number, is: Part["is"]) {
  const part: Part = { is };
  if (is === "text") part.text = "";
  if (is === "counter" || is === "random") part.digits = 4;
  if (is === "check digit") part.method = "mod 10";
  table.draft!.series.parts![i] = part;
}
function move(i: number, by: number) {
  const parts = table.draft!.series.parts!;
  const [part] = parts.splice(i, 1);
  parts.splice(i + by, 0, part!);
}
function setNumbers(kind: string) {
  table.draft!.series.numbers = kind ? { kind, companies: [], types: [] } : undefined;
}
function toggle(of: "companies" | "types", key: string) {
  const n = table.draft!.series.numbers!;
  const now = n[of] ?? [];
  n[of] = now.includes(key) ? now.filter((k) => k !== key) : [...now, key];
}

function numbered(v: SeriesView): string {
  const n = v.series.numbers;
  if (!n) return "rules";
  const types = n.types?.length ? ` of type ${n.types.join(", ")}` : "";
  const companies = n.companies?.length ? ` in ${n.companies.join(", ")}` : "";
  return (catalog.entry(n.kind)?.kind.plural ?? n.kind) + types + companies;
}
const list = useList<SeriesView>(
  () => all.data ?? [],
  () => [
    { label: "Series", value: (v) => v.series.label },
    { label: "Key", value: (v) => v.series.key },
    { label: "Numbers", value: numbered },
    {
      label: "Next number, by company",
      value: (v) => v.counts.map((c) => `${c.company} ${c.next[0] ?? "none"}`.trim()).join(", "),
    },
    { label: "Left", right: true, value: (v) => ({ exact: String(v.counts[0]?.left ?? "") }) },
  ],
);
</script>

<template>
  <TableEditor
    :table="table"
    title="Number series"
    add="Design a series"
    :list="list"
    form="Number series"
    :form-title="table.adding ? 'New series' : (table.draft?.series.label ?? '')"
    :empty="
      all.data && !all.data.length
        ? 'There is no series yet. Records are numbered plainly, by kind and company, until one is designed for them.'
        : ''
    "
    :problem="all.problem"
    :retry="all.reload"
  >
    <template #about>Every number is used once; refused documents use none.</template>
    <template #rows>
      <tr v-for="v in list.rows" :key="v.series.key">
        <td>
          <button type="button" class="plain" @click="table.edit(v)">{{ v.series.label }}</button>
          <div class="quiet">{{ v.series.note }}</div>
        </td>
        <td>
          <code>{{ v.series.key }}</code>
        </td>
        <td>{{ numbered(v) }}</td>
        <td>
          <div v-for="c in v.counts" :key="c.company">
            <span v-if="c.company" class="quiet">{{ c.company }}</span> <code>{{ c.next[0] ?? "none" }}</code>
            <span v-if="c.notice" class="notice">{{ c.notice.message }}</span>
          </div>
        </td>
        <td class="right">
          <div v-for="c in v.counts" :key="c.company">{{ c.left }}</div>
        </td>
      </tr>
    </template>
    <template v-if="table.draft" #default>
      <div class="sides">
        <div>
          <div class="two">
            <label
              ><span class="field-label">Name</span
              ><input v-model="table.draft.series.label" class="line" required
            /></label>
            <label
              ><span class="field-label">Key</span
              ><input
                v-model.trim="table.draft.series.key"
                class="line mono"
                :disabled="!table.adding"
                required
            /></label>
          </div>
          <label
            ><span class="field-label">Purpose</span><input v-model="table.draft.series.note" class="line"
          /></label>
          <h3>Parts</h3>
          <ol class="parts">
            <li v-for="(p, i) in table.draft.series.parts" :key="i">
              <SelectBox
                :model-value="p.is"
                :label="`Part ${i + 1}`"
                :options="partNames.map((n) => ({ value: n.value, label: n.label }))"
                @change="setKind(i, $event as Part['is'])"
              />
              <input
                v-if="p.is === 'text'"
                v-model="p.text"
                class="line"
                :aria-label="`Text of part ${i + 1}`"
              />
              <label v-else-if="p.is === 'counter' || p.is === 'random'" class="digits"
                ><WholeInput v-model="p.digits" :min="1" :max="17" :aria-label="`Digits of part ${i + 1}`" />
                digits</label
              >
              <SelectBox
                v-else-if="p.is === 'check digit'"
                v-model="p.method"
                :label="`Method of part ${i + 1}`"
                :options="[
                  { value: 'mod 10', label: 'one digit, mod 10' },
                  { value: 'mod 97', label: 'two digits, mod 97' },
                ]"
              />
              <span v-else class="quiet">{{
                p.is.startsWith("year") || p.is === "month" || p.is === "day" ? "of the document" : "its key"
              }}</span>
              <span class="moves">
                <button
                  type="button"
                  class="plain"
                  :disabled="i === 0"
                  :aria-label="`Move part ${i + 1} up`"
                  @click="move(i, -1)"
                >
                  ↑
                </button>
                <button
                  type="button"
                  class="plain"
                  :disabled="i === table.draft.series.parts!.length - 1"
                  :aria-label="`Move part ${i + 1} down`"
                  @click="move(i, 1)"
                >
                  ↓
                </button>
                <button
                  type="button"
                  class="plain"
                  :aria-label="`Remove part ${i + 1}`"
                  @click="table.draft.series.parts!.splice(i, 1)"
                >
                  ×
                </button>
              </span>
              <CellProblem :message="wrong(i)" />
            </li>
          </ol>
          <button
            type="button"
            class="plain"
            @click="table.draft.series.parts!.push({ is: 'text', text: '' })"
          >
            Add a part
          </button>
        </div>
        <div>
          <div class="two">
            <label
              ><span class="field-label">Start at</span
              ><WholeInput v-model="table.draft.series.start" :min="1"
            /></label>
            <label
              ><span class="field-label">Step</span><WholeInput v-model="table.draft.series.step" :min="1"
            /></label>
            <label
              ><span class="field-label">End at (0: as the digits allow)</span
              ><WholeInput v-model="table.draft.series.end" :min="0"
            /></label>
            <label
              ><span class="field-label">Resets</span>
              <SelectBox
                v-model="table.draft.series.reset"
                label="Resets"
                :options="[
                  { value: '', label: 'never' },
                  { value: 'yearly', label: 'every year' },
                  { value: 'monthly', label: 'every month' },
                ]"
            /></label>
          </div>
          <label
            ><input v-model="table.draft.series.byCompany" type="checkbox" /> counts separately in each
            company</label
          >
          <label class="gives"
            ><span class="field-label">Numbers for</span>
            <SelectBox
              :model-value="table.draft.series.numbers?.kind ?? ''"
              label="Numbers for"
              :options="[
                { value: '', label: 'no records; default rules use it' },
                ...catalog.kinds.map((k) => ({ value: k.kind.key, label: k.kind.plural })),
              ]"
              @change="setNumbers($event)"
          /></label>
          <template v-if="table.draft.series.numbers">
            <p class="marks">
              <span class="quiet">in</span>
              <label v-for="c in catalog.catalog?.companies" :key="c.key"
                ><input
                  type="checkbox"
                  :checked="table.draft.series.numbers.companies?.includes(c.key)"
                  @change="toggle('companies', c.key)"
                />
                {{ c.key }}</label
              >
              <span class="quiet">(none: all)</span>
            </p>
            <p class="marks">
              <span class="quiet">of</span>
              <label v-for="t in catalog.entry(table.draft.series.numbers.kind)?.types" :key="t.key"
                ><input
                  type="checkbox"
                  :checked="table.draft.series.numbers.types?.includes(t.key)"
                  @change="toggle('types', t.key)"
                />
                {{ t.key }}</label
              >
              <span class="quiet">(none: all)</span>
            </p>
          </template>
          <h3>The next numbers</h3>
          <p v-for="(p, i) in wholeProblems" :key="i" class="notice">{{ p.message }}</p>
          <div v-for="c in checked.answer?.counts" :key="c.company" class="next">
            <span v-if="c.company" class="quiet">{{ c.company }}</span>
            <code v-for="(n, i) in c.next" :key="i">{{ n }}</code>
            <span class="quiet">{{ c.left }} left</span>
            <span v-if="c.notice" class="notice">{{ c.notice.message }}</span>
          </div>
          <p v-if="checked.answer?.longest" class="quiet">Up to {{ checked.answer.longest }} characters.</p>
        </div>
      </div>
      <ThingHistory v-if="table.draft.version" what="series" :of="table.draft.series.key" />
    </template>
  </TableEditor>
</template>

<style scoped>
.right {
  text-align: right;
}
.notice {
  color: var(--default);
  margin: 2px 0;
}
.sides {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 28px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin-bottom: 8px;
}
h3 {
  margin: 10px 0 4px;
}
.parts {
  margin: 0 0 4px;
  padding-left: 20px;
}
.parts li {
  padding: 2px 0;
}
.parts li > :first-child {
  width: 150px;
  margin-right: 6px;
}
.parts li > :nth-child(2) {
  width: 150px;
}
.digits input {
  width: 64px;
}
.moves {
  margin-left: 8px;
}
.gives {
  display: block;
  margin-top: 8px;
}
.marks {
  margin: 4px 0;
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.next {
  display: flex;
  gap: 12px;
  padding: 2px 0;
  flex-wrap: wrap;
}
</style>
