<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import { computed, ref } from "vue";
import { api, ask, type Schemas } from "@/api/client";
import RowsEditor from "@/features/tables/RowsEditor.vue";
import { useRowsEditor } from "@/features/tables/rowsEditor";
import { useCatalog } from "@/queries/catalog";
import { count, format } from "@/queries/format";
import type { CodeList } from "@/queries/lists";
import CellProblem from "@/ui/CellProblem.vue";
import DateInput from "@/ui/DateInput.vue";
import SelectBox from "@/ui/SelectBox.vue";
import UseList from "@/ui/UseList.vue";

type Entry = Schemas["CodeListEntry"];
type Of = Schemas["CodeListOf"];

const props = defineProps<{ list: string }>();
const emit = defineEmits<{ close: []; saved: [key: string] }>();
const catalog = useCatalog();

const of = (key: string) => ({ params: { path: { key } } });
const editor = useRowsEditor<CodeList, Entry, Schemas["CodeListView"]>({
  key: props.list,
  name: "lists",
  blank: () => ({ key: "", label: "", note: "", entries: [], views: [] }),
  thing: (view) => view.list,
  rows: (l) => l.entries ?? [],
  put: (l, entries) => (l.entries = entries),
  blankRow: () => ({ code: "", label: "", from: "", until: "" }),
  isBlank: (e) => !e.code && !e.label,
  words: (e) => `${e.code} ${e.label}`,
  get: (key) => api.GET("/tables/lists/{key}", of(key)),
  check: (body, signal) => api.POST("/tables/lists/check", { body, signal }),
  read: (list, text, replace) => api.POST("/tables/lists/read", { body: { list, text, replace, format } }),
  save: (key, list, version) => api.PUT("/tables/lists/{key}", { ...of(key), body: { list, version } }),
  remove: (key) => api.DELETE("/tables/lists/{key}", of(key)),
  saved: (key) => emit("saved", key),
  closed: () => emit("close"),
});
const currencies = computed(() => editor.draft?.key === "currencies");

// Which company the columns Used and Called are of; "" all companies.
const company = ref("");
const companies = computed(() => [
  { value: "", label: "all companies" },
  ...(catalog.catalog?.companies ?? []).map((c) => ({ value: c.key, label: `${c.key} ${c.name}` })),
]);
function viewOf(at: string): Of | undefined {
  return editor.draft?.views?.find((v) => v.company === at);
}
const view = computed(() => viewOf(company.value));
const uses = (e: Entry) => !view.value?.only?.length || view.value.only.includes(e.code);
/** How many entries the chosen company uses. */
const used = computed(() => editor.rows.filter(uses).length);
function put(next: Of) {
  const l = editor.draft!;
  const others = (l.views ?? []).filter((v) => v.company !== next.company);
  l.views = [...others, next].toSorted((a, b) => a.company.localeCompare(b.company));
}
function use(codes: string[]) {
  const all = editor.rows.map((e) => e.code);
  put({ ...view.value, company: company.value, only: codes.length < all.length ? codes : undefined });
}
function toggle(e: Entry) {
  const now = editor.rows.filter(uses).map((o) => o.code);
  use(now.includes(e.code) ? now.filter((c) => c !== e.code) : [...now, e.code]);
}
function call(e: Entry, label: string) {
  const labels = { ...view.value?.labels };
  if (label.trim()) labels[e.code] = label.trim();
  else delete labels[e.code];
  put({ ...view.value, company: company.value, labels });
}

const onlyUsed = ref(false);
const found = computed(() => editor.found.filter(({ row }) => !onlyUsed.value || uses(row)));

/** What holds an entry that somebody wants to take out. */
const held = ref<{ code: string; uses: Schemas["CodeListUses"] }>();
async function remove(at: number) {
  const { key } = editor.draft!;
  const code = editor.rows[at]!.code;
  const before = JSON.parse(editor.kept || "{}") as CodeList;
  held.value = undefined;
  if (before.entries?.some((e) => e.code === code)) {
    await editor.attempt(async () => {
      const params = { path: { key }, query: { code } };
      const uses = await ask(api.GET("/tables/lists/{key}/uses", { params }));
      if (uses.records || uses.uses.length) held.value = { code, uses };
    });
    if (held.value || editor.trouble.problem) return;
    at = editor.rows.findIndex((e) => e.code === code); // others may have been taken out since
    if (at < 0) return;
  }
  editor.removeAt(at);
  const l = editor.draft!;
  l.views = (l.views ?? []).map((v) => {
    const labels = { ...v.labels };
    delete labels[code];
    return { ...v, only: v.only?.filter((c) => c !== code), labels };
  });
}
</script>

<template>
  <RowsEditor
    :editor="editor"
    title="Choice lists"
    form="Choice list"
    add="Add an entry"
    what="list"
    :found="found.length"
    :history="editor.rows.map((e) => ({ label: `${e.code} ${e.label}`, keys: [e.code] }))"
  >
    <template v-if="editor.draft?.standard" #about>Complete by {{ editor.draft.standard }}</template>
    <template #tools>
      <div class="tools">
        <span class="sentence"
          >As
          <SelectBox v-model="company" label="Company whose view is shown" :options="companies" in-sentence />
          {{ company ? "sees it" : "see it" }}: {{ used }} of {{ editor.rows.length }} can be chosen</span
        >
        <button
          v-if="editor.mayChange && used < editor.rows.length"
          type="button"
          class="plain"
          @click="use(editor.rows.map((e) => e.code))"
        >
          Use all
        </button>
        <span class="spring" />
        <label class="only"><input v-model="onlyUsed" type="checkbox" /> Only what is used</label>
        <input
          v-model="editor.words"
          class="line find"
          type="search"
          placeholder="Find a code or label"
          aria-label="Find a code or label"
        />
      </div>
      <div v-if="held" class="held" role="alert">
        <p>
          {{ held.code }} is held by
          {{
            held.uses.records === 1
              ? "1 record"
              : `${held.uses.more ? "more than " : ""}${count(held.uses.records)} records`
          }}
          and named by {{ held.uses.uses.filter((u) => !catalog.entry(u.what)).length }} rules, tables or
          proofs, so it cannot go. Take away its tick, or give it a last day: what holds it keeps it, and
          nobody chooses it anew.
          <button type="button" class="plain" @click="held = undefined">Close</button>
        </p>
        <div class="uses"><UseList :uses="held.uses.uses" /></div>
      </div>
    </template>
    <table class="ledger">
      <thead>
        <tr>
          <th>Used</th>
          <th class="code">Code</th>
          <th>Label</th>
          <th v-if="company">Called in {{ company }}</th>
          <th v-if="currencies" class="right">Decimals</th>
          <th>From</th>
          <th>Until</th>
          <th><span class="visually-hidden">Remove</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ row: e, at } in found.slice(0, editor.most)" :key="at" :class="{ unused: !uses(e) }">
          <td>
            <input
              type="checkbox"
              :checked="uses(e)"
              :disabled="!editor.mayChange"
              :aria-label="`${e.code || 'The entry'} is used`"
              @change="toggle(e)"
            />
          </td>
          <td>
            <input v-model.trim="e.code" class="line mono" :aria-label="`Code in row ${at + 1}`" />
            <CellProblem :message="editor.wrong(at, 'code')" />
          </td>
          <td><input v-model="e.label" class="line" :aria-label="`Label in row ${at + 1}`" /></td>
          <td v-if="company">
            <input
              class="line"
              :value="view?.labels?.[e.code] ?? ''"
              :placeholder="e.label"
              :aria-label="`What ${company} calls ${e.code}`"
              @change="call(e, ($event.target as HTMLInputElement).value)"
            />
          </td>
          <td v-if="currencies" class="right">
            <WholeInput
              v-model="e.decimals"
              class="narrow"
              :min="0"
              :max="12"
              :aria-label="`Decimals of ${e.code}`"
            />
            <CellProblem :message="editor.wrong(at, 'decimals')" />
          </td>
          <td>
            <DateInput v-model="e.from" :label="`First day of ${e.code}`" />
            <CellProblem :message="editor.wrong(at, 'from')" />
          </td>
          <td>
            <DateInput v-model="e.until" :label="`Last day of ${e.code}`" />
            <CellProblem :message="editor.wrong(at, 'until')" />
          </td>
          <td>
            <button
              v-if="editor.mayChange"
              type="button"
              class="plain"
              tabindex="-1"
              :aria-label="`Remove ${e.code || `row ${at + 1}`}`"
              @click="remove(at)"
            >
              ×
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </RowsEditor>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 8px 0;
}
.sentence {
  font: 17px/28px var(--serif);
}
.find {
  width: 220px;
}
.only {
  white-space: nowrap;
}
.code {
  width: 130px;
}
td :deep(.date-input) {
  width: 120px;
}
td input[type="checkbox"] {
  margin-top: 8px;
}
.unused input.line {
  color: var(--ink-soft);
}
.narrow {
  width: 46px;
  text-align: right;
}
.right {
  text-align: right;
}
.uses {
  max-height: 150px;
  overflow: auto;
}
.held {
  border-left: 2px solid var(--refused);
  padding-left: 10px;
  max-width: 860px;
}
</style>
