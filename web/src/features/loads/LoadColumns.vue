<script setup lang="ts">
import { computed, ref } from "vue";
import type { KindEntry } from "@/api/client";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { choices, orNone } from "@/ui/choice";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { inSentence } from "@/queries/format";
import { removeSetup, type Load, type LoadSetup } from "@/queries/loads";

/** How the columns of a file become fields, and what is to become of its rows. */
const props = defineProps<{ load: Load; setup: LoadSetup; entry: KindEntry; locked: boolean }>();
const emit = defineEmits<{ change: [next: LoadSetup] }>();
const catalog = useCatalog();

const targets = computed(() => {
  const fields = props.entry.kind.fields.filter((f) => f.loaded);
  const of = (lines: boolean) =>
    fields.filter((f) => f.key.startsWith("lines.") === lines).map((f) => ({ value: f.key, label: f.label }));
  const lines = of(true);
  const own = [
    { value: "number", label: "Number" },
    { value: "company", label: "Company" },
    { value: "type", label: props.entry.kind.typeLabel },
  ];
  return [
    { value: "", label: "left out" },
    { value: "record", label: "Record", options: own },
    { value: "header", label: "Fields", options: of(false) },
    ...(lines.length
      ? [{ value: "lines", label: "Lines", options: [{ value: "line", label: "Line number" }, ...lines] }]
      : []),
  ];
});
function label(key: string): string {
  if (key === "number") return "Number";
  if (key === "company") return "Company";
  if (key === "type") return props.entry.kind.typeLabel;
  return props.entry.kind.fields.find((f) => f.key === key)?.label ?? key;
}

function put(change: Partial<LoadSetup>) {
  emit("change", { ...props.setup, ...change });
}
function map(column: string, to: string) {
  const columns = { ...props.setup.columns };
  // A field is held by one column: the one chosen last.
  for (const [other, held] of Object.entries(columns)) if (to && held === to) delete columns[other];
  if (to) columns[column] = to;
  else delete columns[column];
  const held = Object.values(columns);
  const key = props.setup.key.every((k) => held.includes(k)) ? props.setup.key : [];
  put({ columns, key });
}
const held = computed(() => Object.values(props.setup.columns));
/** What every row has that no column holds: company and type where they are missing, and fields that were chosen. */
const constants = computed(() => {
  const needed = ["company", "type"].filter((k) => !held.value.includes(k));
  return [...new Set([...needed, ...Object.keys(props.setup.constants)])];
});
function constant(key: string, value: string | undefined) {
  const all = { ...props.setup.constants };
  if (value) all[key] = value;
  else delete all[key];
  put({ constants: all });
}
const addable = computed(() =>
  props.entry.kind.fields
    .filter((f) => f.loaded && !f.key.startsWith("lines.") && !constants.value.includes(f.key))
    .map((f) => ({ value: f.key, label: f.label })),
);
const adding = ref<string[]>([]);
const companies = computed(() =>
  (catalog.catalog?.companies ?? []).map((c) => ({ value: c.key, label: `${c.key} ${c.name}` })),
);
const types = computed(() => props.entry.types.map((t) => ({ value: t.key, label: t.label })));

const keys = computed(() =>
  props.load.keys
    .filter((k) => k.fields.every((f) => held.value.includes(f)))
    .map((k) => ({ value: k.fields.join(","), label: k.label })),
);
const formats = [
  { value: ".|ymd|-", label: "1234.50, 2026-11-24" },
  { value: ",|dmy|.", label: "1.234,50, 24.11.2026" },
  { value: ".|dmy|/", label: "1,234.50, 24/11/2026" },
  { value: ".|mdy|/", label: "1,234.50, 11/24/2026" },
  { value: ",|dmy|/", label: "1.234,50, 24/11/2026" },
  { value: ",|dmy|-", label: "1.234,50, 24-11-2026" },
];
const format = computed(() => {
  const f = props.setup.format;
  return f ? `${f.decimal}|${f.date}|${f.separator}` : formats[0]!.value;
});
function takeFormat(text: string) {
  const [decimal = ".", date = "ymd", separator = "-"] = text.split("|");
  const group = date === "ymd" ? "" : decimal === "." ? "," : ".";
  put({ format: { decimal, group, date, separator } as LoadSetup["format"] });
}
const setups = computed(() => props.load.setups.map((s) => ({ value: s.name ?? "", label: s.name ?? "" })));
function takeSetup(name: string) {
  const chosen = props.load.setups.find((s) => s.name === name);
  if (!chosen) return;
  const there = new Set(props.load.columns.map((c) => c.name));
  const columns = Object.fromEntries(Object.entries(chosen.columns).filter(([c]) => there.has(c)));
  emit("change", { ...chosen, columns });
}
const tried = useAttempt();
/** Removes a set-up for all files; this one stays as it is set up. */
async function forget(setup: string) {
  if (await tried.attempt(() => removeSetup(props.load.kind, setup))) put({ name: "" });
}
const name = ref("");
function keepAs() {
  if (name.value.trim()) put({ name: name.value.trim() });
}
const noun = computed(() => inSentence(props.entry.kind.label));
</script>

<template>
  <form class="setup" aria-label="How the file is loaded" @submit.prevent="keepAs">
    <fieldset :disabled="locked">
      <p v-if="setups.length" class="sentence">
        Set-up
        <SelectBox
          in-sentence
          :model-value="setup.name ?? ''"
          label="Set-up"
          :options="orNone('of this file', setups)"
          @change="takeSetup($event as string)"
        />
        <button
          v-if="setup.name"
          type="button"
          class="plain"
          :aria-label="`Remove the set-up ${setup.name}`"
          @click="forget(setup.name)"
        >
          Remove
        </button>
      </p>
      <TroubleNote v-bind="tried.trouble" />
      <p class="sentence">
        A {{ noun }} is found by
        <SelectBox
          in-sentence
          :model-value="setup.key.join(',')"
          label="Found by"
          :options="orNone('nothing: every row is new', keys)"
          @change="put({ key: ($event as string).split(',').filter(Boolean) })"
        />
        <template v-if="setup.key.length"
          ><br />One that is found is
          <SelectBox
            in-sentence
            :model-value="setup.found"
            label="One that is found"
            :options="choices({ update: 'changed', skip: 'skipped', refuse: 'refused' })"
            @change="put({ found: $event as LoadSetup['found'] })" />, one that is not is
          <SelectBox
            in-sentence
            :model-value="setup.missing"
            label="One that is not found"
            :options="choices({ add: 'added', skip: 'skipped', refuse: 'refused' })"
            @change="put({ missing: $event as LoadSetup['missing'] })" />
          <template v-if="setup.found === 'update'"
            ><br />A blank cell
            <SelectBox
              in-sentence
              :model-value="setup.blanks"
              label="A blank cell"
              :options="choices({ keep: 'keeps the value', clear: 'clears the value' })"
              @change="put({ blanks: $event as LoadSetup['blanks'] })" /></template
        ></template>
        <br />Numbers and dates are written
        <SelectBox
          in-sentence
          :model-value="format"
          label="Numbers and dates"
          :options="formats"
          @change="takeFormat($event as string)"
        />
        <template v-if="load.form === 'csv'"
          ><br />The text is in
          <SelectBox
            in-sentence
            :model-value="setup.encoding ?? ''"
            label="Encoding"
            :options="
              orNone(
                `${load.encoding}, as found`,
                ['utf-8', 'windows-1252', 'iso-8859-2', 'utf-16le', 'utf-16be', 'shift_jis'].map((e) => ({
                  value: e,
                  label: e,
                })),
              )
            "
            @change="put({ encoding: $event as string })" />, separated by
          <SelectBox
            in-sentence
            :model-value="setup.separator ?? ''"
            label="Separator"
            :options="
              orNone(
                'what was found',
                choices({ ';': 'semicolons', ',': 'commas', '\t': 'tabs', '|': 'bars' }),
              )
            "
            @change="put({ separator: $event as string })"
        /></template>
        <template v-if="load.sheets.length > 1"
          ><br />The sheet is
          <SelectBox
            in-sentence
            :model-value="setup.sheet || load.sheets[0]!"
            label="Sheet"
            :options="load.sheets.map((s) => ({ value: s, label: s }))"
            @change="put({ sheet: $event as string })"
        /></template>
      </p>
      <label class="check"
        ><input
          type="checkbox"
          :checked="setup.whole"
          @change="put({ whole: ($event.target as HTMLInputElement).checked })"
        />
        all rows or none</label
      >
      <p v-if="setup.whole && load.rows > 10_000" class="quiet">
        Above 10,000 records all are checked before the first is written. They appear as they are written; if
        one is refused after all, or you stop the load, what was written is taken back.
      </p>
      <label v-if="entry.kind.posted" class="check"
        ><input
          type="checkbox"
          :checked="setup.post"
          @change="put({ post: ($event.target as HTMLInputElement).checked })"
        />
        post what was saved</label
      >
      <h2>Every row</h2>
      <div
        v-for="key in [...constants, ...adding.filter((k) => !constants.includes(k))]"
        :key="key"
        class="constant"
      >
        <span>{{ label(key) }}</span>
        <SelectBox
          v-if="key === 'company' || key === 'type'"
          :model-value="setup.constants[key] ?? ''"
          :label="label(key)"
          :options="key === 'company' ? companies : types"
          :disabled="locked"
          clearable
          @change="constant(key, $event as string)"
        />
        <input
          v-else
          class="line"
          :aria-label="label(key)"
          :value="setup.constants[key] ?? ''"
          @change="constant(key, ($event.target as HTMLInputElement).value)"
        />
      </div>
      <p class="sentence">
        <SelectBox
          in-sentence
          model-value=""
          label="Value for every row"
          :options="orNone('a value for every row', addable)"
          @change="adding.push($event as string)"
        />
      </p>
      <h2>Columns</h2>
      <table class="ledger">
        <thead>
          <tr>
            <th>Column</th>
            <th>Field</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="c in load.columns" :key="c.name">
            <td>
              {{ c.name }}
              <span class="quiet samples">{{ c.samples.join(" · ") }}</span>
            </td>
            <td class="to">
              <SelectBox
                :model-value="setup.columns[c.name] ?? ''"
                :label="`Field of ${c.name}`"
                :options="targets"
                :disabled="locked"
                @change="map(c.name, $event as string)"
              />
              <span v-if="c.leftOut" class="quiet samples">{{ c.leftOut }} takes no part in loads</span>
            </td>
          </tr>
        </tbody>
      </table>
      <h2>Use again</h2>
      <div class="constant">
        <input
          v-model="name"
          class="line"
          aria-label="Name of the set-up"
          :placeholder="setup.name || 'Name'"
        />
        <button type="submit" class="button" :disabled="!name.trim()">Save the set-up</button>
      </div>
    </fieldset>
  </form>
</template>

<style scoped>
fieldset {
  border: 0;
  margin: 0;
  padding: 0;
  min-width: 0;
}
table {
  width: 100%;
  table-layout: fixed;
}
.samples {
  display: block;
  font-size: 12px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.to {
  width: 48%;
}
h2 {
  font-size: 15px;
  margin: 18px 0 6px;
}
.constant {
  display: grid;
  grid-template-columns: 1fr 1.4fr;
  gap: 8px;
  align-items: center;
  margin-bottom: 6px;
}
.constant > button {
  justify-self: start;
}
.sentence {
  margin: 6px 0;
  line-height: 1.9;
}
.sentence :deep(.el-select__placeholder) {
  font: 600 13px/24px var(--sans);
}
.check {
  display: block;
  margin: 4px 0;
}
</style>
