<script setup lang="ts">
import { computed, ref } from "vue";
import { api, ask, type Schemas, type SeriesView } from "@/api/client";
import CellProblem from "@/ui/CellProblem.vue";
import EntryForm from "@/ui/EntryForm.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useEntryForm } from "@/ui/entryForm";
import { problemAt, useLiveCheck } from "@/ui/liveCheck";
import { useCatalog } from "@/queries/catalog";

type Part = Schemas["SeriesPart"];

/** Number series, designed with the next numbers in sight. */
const catalog = useCatalog();
const all = ref<SeriesView[]>([]);
const path = (view: SeriesView) => ({ params: { path: { key: view.series.key } } });
const { draft, adding, busy, trouble, edit, save, remove, leave, reload } = useEntryForm<SeriesView>({
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
    return ask(api.PUT("/tables/series/{key}", { ...path(view), body: { series, version } }));
  },
  remove: (view) => ask(api.DELETE("/tables/series/{key}", path(view))),
  reload: async () => (all.value = await ask(api.GET("/tables/series"))),
});
void reload();

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

const checked = useLiveCheck(
  () => draft.value?.series,
  (series) => ask(api.POST("/tables/series/preview", { body: series })),
);
const wrong = (row: number) => problemAt(checked.value?.problems, row);
const wholeProblems = computed(() => checked.value?.problems.filter((p) => p.row < 0) ?? []);

function setKind(i: number, is: Part["is"]) {
  const part: Part = { is };
  if (is === "text") part.text = "";
  if (is === "counter" || is === "random") part.digits = 4;
  if (is === "check digit") part.method = "mod 10";
  draft.value!.series.parts![i] = part;
}
function move(i: number, by: number) {
  const parts = draft.value!.series.parts!;
  const [part] = parts.splice(i, 1);
  parts.splice(i + by, 0, part!);
}
function setNumbers(kind: string) {
  draft.value!.series.numbers = kind ? { kind, companies: [], types: [] } : undefined;
}
function toggle(of: "companies" | "types", key: string) {
  const n = draft.value!.series.numbers!;
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
</script>

<template>
  <div class="page-head">
    <h1>Number series</h1>
    <span class="quiet">No number is given twice, and none is lost to what was refused.</span>
    <span class="spring" />
    <button type="button" class="button" @click="edit()">Design a series</button>
  </div>
  <TroubleNote v-if="!draft" v-bind="trouble" />
  <table class="ledger">
    <thead>
      <tr>
        <th>Series</th>
        <th>Key</th>
        <th>Numbers</th>
        <th>Next number, by company</th>
        <th class="right">Left</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="v in all" :key="v.series.key">
        <td>
          <button type="button" class="plain" @click="edit(v)">{{ v.series.label }}</button>
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
    </tbody>
  </table>
  <p v-if="!all.length" class="empty">
    There is no series yet. Records are numbered plainly, by kind and company, until one is designed for them.
  </p>

  <EntryForm
    v-if="draft"
    label="Number series"
    :title="adding ? 'New series' : draft.series.label"
    :trouble="trouble"
    :busy="busy"
    :adding="adding"
    @save="save"
    @leave="leave"
    @remove="remove"
  >
    <div class="sides">
      <div>
        <div class="two">
          <label
            ><span class="field-label">Name</span><input v-model="draft.series.label" class="line" required
          /></label>
          <label
            ><span class="field-label">Key</span
            ><input v-model.trim="draft.series.key" class="line mono" :disabled="!adding" required
          /></label>
        </div>
        <label
          ><span class="field-label">What it is for</span><input v-model="draft.series.note" class="line"
        /></label>
        <h3>Parts</h3>
        <ol class="parts">
          <li v-for="(p, i) in draft.series.parts" :key="i">
            <select
              class="line"
              :value="p.is"
              :aria-label="`Part ${i + 1}`"
              @change="setKind(i, ($event.target as HTMLSelectElement).value as Part['is'])"
            >
              <option v-for="n in partNames" :key="n.value" :value="n.value">{{ n.label }}</option>
            </select>
            <input
              v-if="p.is === 'text'"
              v-model="p.text"
              class="line"
              :aria-label="`Text of part ${i + 1}`"
            />
            <label v-else-if="p.is === 'counter' || p.is === 'random'" class="digits"
              ><input
                v-model.number="p.digits"
                class="line"
                type="number"
                min="1"
                max="17"
                :aria-label="`Digits of part ${i + 1}`"
              />
              digits</label
            >
            <select
              v-else-if="p.is === 'check digit'"
              v-model="p.method"
              class="line"
              :aria-label="`Method of part ${i + 1}`"
            >
              <option value="mod 10">one digit, mod 10</option>
              <option value="mod 97">two digits, mod 97</option>
            </select>
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
                :disabled="i === draft.series.parts!.length - 1"
                :aria-label="`Move part ${i + 1} down`"
                @click="move(i, 1)"
              >
                ↓
              </button>
              <button
                type="button"
                class="plain"
                :aria-label="`Remove part ${i + 1}`"
                @click="draft.series.parts!.splice(i, 1)"
              >
                ×
              </button>
            </span>
            <CellProblem :message="wrong(i)" />
          </li>
        </ol>
        <button type="button" class="plain" @click="draft.series.parts!.push({ is: 'text', text: '' })">
          Add a part
        </button>
      </div>
      <div>
        <div class="two">
          <label
            ><span class="field-label">First count</span
            ><input v-model.number="draft.series.start" class="line" type="number" min="1"
          /></label>
          <label
            ><span class="field-label">Each more by</span
            ><input v-model.number="draft.series.step" class="line" type="number" min="1"
          /></label>
          <label
            ><span class="field-label">Last count (0: as the digits allow)</span
            ><input v-model.number="draft.series.end" class="line" type="number" min="0"
          /></label>
          <label
            ><span class="field-label">Begins anew</span>
            <select v-model="draft.series.reset" class="line">
              <option value="">never</option>
              <option value="yearly">every year</option>
              <option value="monthly">every month</option>
            </select></label
          >
        </div>
        <label
          ><input v-model="draft.series.byCompany" type="checkbox" /> counts in each company by itself</label
        >
        <label class="gives"
          ><span class="field-label">Gives the numbers of</span>
          <select
            class="line"
            :value="draft.series.numbers?.kind ?? ''"
            aria-label="Gives the numbers of"
            @change="setNumbers(($event.target as HTMLSelectElement).value)"
          >
            <option value="">no records; default rules use it</option>
            <option v-for="k in catalog.kinds" :key="k.kind.key" :value="k.kind.key">
              {{ k.kind.plural }}
            </option>
          </select></label
        >
        <template v-if="draft.series.numbers">
          <p class="marks">
            <span class="quiet">in</span>
            <label v-for="c in catalog.catalog?.companies" :key="c.key"
              ><input
                type="checkbox"
                :checked="draft.series.numbers.companies?.includes(c.key)"
                @change="toggle('companies', c.key)"
              />
              {{ c.key }}</label
            >
            <span class="quiet">(none: all)</span>
          </p>
          <p class="marks">
            <span class="quiet">of</span>
            <label v-for="t in catalog.entry(draft.series.numbers.kind)?.types" :key="t.key"
              ><input
                type="checkbox"
                :checked="draft.series.numbers.types?.includes(t.key)"
                @change="toggle('types', t.key)"
              />
              {{ t.key }}</label
            >
            <span class="quiet">(none: all)</span>
          </p>
        </template>
        <h3>The next numbers</h3>
        <p v-for="(p, i) in wholeProblems" :key="i" class="notice">{{ p.message }}</p>
        <div v-for="c in checked?.counts" :key="c.company" class="next">
          <span v-if="c.company" class="quiet">{{ c.company }}</span>
          <code v-for="(n, i) in c.next" :key="i">{{ n }}</code>
          <span class="quiet">{{ c.left }} left</span>
          <span v-if="c.notice" class="notice">{{ c.notice.message }}</span>
        </div>
        <p v-if="checked?.longest" class="quiet">Up to {{ checked.longest }} characters.</p>
      </div>
    </div>
  </EntryForm>
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
