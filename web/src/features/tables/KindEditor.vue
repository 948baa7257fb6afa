<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import { computed, nextTick, ref } from "vue";
import { RouterLink } from "vue-router";
import { api, ask, type Field, type Kind, type KindEntry, type Schemas } from "@/api/client";
import { keyOf } from "@/api/address";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { change } from "@/queries/client";
import { useSession } from "@/queries/session";
import { useWhileTyping } from "@/queries/whileTyping";
import { orNone } from "@/ui/choice";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** A kind of records: a new one with its first fields and type, or what an existing one is like. */
const props = defineProps<{ entry?: KindEntry }>();
const emit = defineEmits<{ close: []; saved: [kind: string] }>();
const catalog = useCatalog();
const session = useSession();
const tried = useAttempt();
const done = ref("");
const mayChange = computed(() => session.may("setup.change") && session.everywhere);

const blank: Kind = {
  key: "",
  label: "",
  plural: "",
  typeLabel: "",
  prefix: "",
  digits: 4,
  title: [],
  sections: [{ key: "general", label: "General" }],
  fields: [],
};
const draft = ref<Kind>(JSON.parse(JSON.stringify(props.entry?.kind ?? blank)) as Kind);
const type = ref({ key: "STD", label: "Standard" });
interface First {
  label: string;
  type: string;
  lines: boolean;
  kind?: string;
  list?: string;
}
const first = ref<First[]>(props.entry ? [] : [{ label: "Name", type: "text", lines: false }]);
const traits = (name: string) => catalog.traits(name);

const hasLines = computed({
  get: () => draft.value.sections.some((s) => s.key === "lines"),
  set: (yes) => {
    const others = draft.value.sections.filter((s) => s.key !== "lines");
    draft.value.sections = yes ? [...others, { key: "lines", label: "Lines" }] : others;
    if (!yes) for (const f of first.value) f.lines = false;
  },
});
/** The fields that are there, or will be. */
const fields = computed<Field[]>(() => {
  if (props.entry) return props.entry.kind.fields;
  const section = draft.value.sections.find((s) => s.key !== "lines")?.key ?? "general";
  return first.value
    .filter((f) => f.label.trim())
    .map((f) => ({
      key: (f.lines ? "lines." : "") + keyOf(f.label),
      label: f.label.trim(),
      section: f.lines ? "lines" : section,
      type: f.type,
      kind: traits(f.type).settings.includes("kind") ? f.kind : undefined,
      list: traits(f.type).settings.includes("choices") ? f.list : undefined,
      loaded: true,
    }));
});
const header = computed(() => fields.value.filter((f) => !f.key.startsWith("lines.")));
const lines = computed(() => fields.value.filter((f) => f.key.startsWith("lines.")));
const options = (list: Field[]) => list.map((f) => ({ value: f.key, label: f.label }));

const asked = computed<Schemas["KindChange"]>(() => {
  const kind: Kind = { ...draft.value, fields: [] };
  if (props.entry) return { kind };
  // People know a record by its first field, until somebody says otherwise.
  const title = kind.title.filter((key) => fields.value.some((f) => f.key === key));
  if (!title.length && header.value[0]) title.push(header.value[0].key);
  return {
    kind: { ...kind, title },
    new: true,
    fields: fields.value,
    types: type.value.key ? [{ kind: kind.key, ...type.value }] : [],
  };
});
const checked = useWhileTyping(
  () => asked.value,
  (body, signal) => ask(api.POST("/kinds/check", { body, signal })),
);
/** Said once somebody has begun: an empty form is no mistake. */
const begun = ref(!!props.entry);
const wrong = (part: string) =>
  begun.value ? checked.answer?.problems.find((p) => p.part === part)?.message : undefined;
const parts = ["label", "key", "typeLabel", "prefix", "digits", "title", "listed", "day", "journal", "types"];
const others = computed(() =>
  begun.value ? (checked.answer?.problems.filter((p) => !parts.includes(p.part)) ?? []) : [],
);

/** Key, plural and the beginning of numbers follow the name until somebody writes them. */
function rename(label: string) {
  const k = draft.value;
  if (!props.entry) {
    const before = k.label;
    const follows = (now: string, from: string) => !now || now === from;
    const plural = (s: string) => (s ? (/[^aeiou]y$/.test(s) ? `${s.slice(0, -1)}ies` : `${s}s`) : "");
    const initial = (s: string) =>
      s
        .replace(/[^A-Za-z]/g, "")
        .slice(0, 2)
        .toUpperCase();
    if (follows(k.key, keyOf(before))) k.key = keyOf(label);
    if (follows(k.plural, plural(before))) k.plural = plural(label);
    if (follows(k.prefix, initial(before))) k.prefix = initial(label);
    if (follows(k.typeLabel, before && `${before} type`)) k.typeLabel = label && `${label} type`;
  }
  k.label = label;
  begun.value = begun.value || label.length > 2;
}
const grid = ref<HTMLElement>();
function addField() {
  first.value.push({ label: "", type: "text", lines: false });
  void nextTick(() => grid.value?.querySelector<HTMLElement>("tbody tr:last-child input")?.focus());
}
function addSection() {
  const at = draft.value.sections.findIndex((s) => s.key === "lines");
  const section = { key: "", label: "" };
  if (at < 0) draft.value.sections.push(section);
  else draft.value.sections.splice(at, 0, section);
}
function nameSection(i: number, label: string) {
  const s = draft.value.sections[i]!;
  if (!s.key || s.key === keyOf(s.label)) {
    if (!fields.value.some((f) => f.section === s.key) || !props.entry) s.key = keyOf(label);
  }
  s.label = label;
}
const hasJournal = computed({
  get: () => !!draft.value.journal,
  set: (yes) =>
    (draft.value.journal = yes
      ? {
          account: lines.value.find((f) => f.type === "link")?.key ?? "",
          debit: lines.value.filter((f) => f.type === "amount")[0]?.key ?? "",
          credit: lines.value.filter((f) => f.type === "amount")[1]?.key ?? "",
          partners: header.value.filter((f) => f.type === "link").map((f) => f.key),
        }
      : undefined),
});

async function save() {
  begun.value = true;
  const body = asked.value;
  const kept = await tried.attempt(() =>
    change(api.PUT("/kinds/{kind}", { params: { path: { kind: draft.value.key } }, body })),
  );
  if (!kept) return;
  done.value = "Saved.";
  emit("saved", draft.value.key);
}
async function remove() {
  const params = { path: { kind: draft.value.key } };
  if (await tried.attempt(() => change(api.DELETE("/kinds/{kind}", { params })))) emit("close");
}
</script>

<template>
  <div class="page-head">
    <h1>
      <button type="button" class="plain" @click="emit('close')">Kinds of records</button>
      {{ draft.plural || "New kind" }}
    </h1>
    <span class="spring" />
    <template v-if="entry">
      <RouterLink class="button" :to="`/tables/fields?kind=${entry.kind.key}`"
        >Fields ({{ entry.kind.fields.length }})</RouterLink
      >
      <RouterLink class="button" :to="`/tables/types?kind=${entry.kind.key}`"
        >Types ({{ entry.types.length }})</RouterLink
      >
    </template>
  </div>
  <TroubleNote v-bind="tried.trouble" />
  <form class="kind" aria-label="Kind of records" @submit.prevent="save">
    <div class="fields">
      <label
        ><span class="field-label">One is called</span
        ><input
          class="line"
          :value="draft.label"
          placeholder="Shipment"
          required
          autofocus
          @input="rename(($event.target as HTMLInputElement).value)"
        />
        <span v-if="wrong('label')" class="wrong">{{ wrong("label") }}</span>
      </label>
      <label
        ><span class="field-label">Several are called</span
        ><input v-model="draft.plural" class="line" placeholder="Shipments" required
      /></label>
      <label v-if="!entry"
        ><span class="field-label">Key, for formulas</span
        ><input v-model.trim="draft.key" class="line mono" required />
        <span v-if="wrong('key')" class="wrong">{{ wrong("key") }}</span>
      </label>
      <label
        ><span class="field-label">A type is called</span
        ><input v-model="draft.typeLabel" class="line" placeholder="Shipment type" required />
        <span v-if="wrong('typeLabel')" class="wrong">{{ wrong("typeLabel") }}</span>
      </label>
      <label
        ><span class="field-label">Numbers begin with</span
        ><input v-model.trim="draft.prefix" class="line mono" required />
        <span v-if="wrong('prefix')" class="wrong">{{ wrong("prefix") }}</span>
      </label>
      <label
        ><span class="field-label">Digits after the company</span
        ><WholeInput v-model="draft.digits" :min="0" />
        <span v-if="wrong('digits')" class="wrong">{{ wrong("digits") }}</span>
      </label>
    </div>
    <p class="ticks">
      <label><input v-model="hasLines" type="checkbox" /> has lines</label>
      <label><input v-model="draft.posted" type="checkbox" /> is posted, and never changes after that</label>
      <label><input v-model="draft.shared" type="checkbox" /> every company may use its records</label>
    </p>

    <template v-if="!entry">
      <h2>First fields</h2>
      <table ref="grid" class="ledger first">
        <thead>
          <tr>
            <th>Label</th>
            <th>Type</th>
            <th>To, or from</th>
            <th v-if="hasLines">In the lines</th>
            <th><span class="visually-hidden">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(f, i) in first" :key="i">
            <td>
              <input
                v-model="f.label"
                class="line"
                :aria-label="`Label of field ${i + 1}`"
                @keydown.enter.prevent="addField"
              />
            </td>
            <td>
              <SelectBox
                v-model="f.type"
                :label="`Type of field ${i + 1}`"
                :options="(catalog.catalog?.fieldTypes ?? []).map((t) => ({ value: t.name, label: t.label }))"
              />
            </td>
            <td>
              <SelectBox
                v-if="traits(f.type).settings.includes('kind')"
                v-model="f.kind"
                :label="`Field ${i + 1} links to`"
                :options="catalog.kindOptions()"
              />
              <SelectBox
                v-else-if="traits(f.type).settings.includes('choices')"
                v-model="f.list"
                :label="`Field ${i + 1} chooses from`"
                :options="(catalog.catalog?.lists ?? []).map((l) => ({ value: l.key, label: l.label }))"
              />
            </td>
            <td v-if="hasLines">
              <input v-model="f.lines" type="checkbox" :aria-label="`Field ${i + 1} is in the lines`" />
            </td>
            <td>
              <button
                type="button"
                class="plain"
                tabindex="-1"
                :aria-label="`Remove field ${i + 1}`"
                @click="first.splice(i, 1)"
              >
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p><button type="button" class="plain" @click="addField">Add a field</button></p>
      <div class="fields">
        <label
          ><span class="field-label">First type: key</span
          ><input v-model.trim="type.key" class="line mono" required />
          <span v-if="wrong('types')" class="wrong">{{ wrong("types") }}</span>
        </label>
        <label
          ><span class="field-label">First type: name</span><input v-model="type.label" class="line" required
        /></label>
      </div>
    </template>

    <h2>Sections</h2>
    <p v-for="(s, i) in draft.sections" :key="i" class="section">
      <input
        class="line"
        :value="s.label"
        :aria-label="`Name of section ${i + 1}`"
        @input="nameSection(i, ($event.target as HTMLInputElement).value)"
      />
      <code>{{ s.key }}</code>
      <button
        v-if="s.key !== 'lines' && draft.sections.length > 1"
        type="button"
        class="plain"
        :aria-label="`Remove the section ${s.label}`"
        @click="draft.sections.splice(i, 1)"
      >
        Remove
      </button>
    </p>
    <p><button type="button" class="plain" @click="addSection">Add a section</button></p>
    <p v-for="p in others" :key="p.code + p.message" class="wrong">{{ p.message }}</p>

    <h2>How records are known and dated</h2>
    <div class="fields">
      <div>
        <span class="field-label">Called by</span>
        <SelectBox v-model="draft.title" label="Called by" :options="options(header)" multiple />
        <span v-if="wrong('title')" class="wrong">{{ wrong("title") }}</span>
      </div>
      <div>
        <span class="field-label">Lists show besides</span>
        <SelectBox
          :model-value="draft.listed ?? []"
          label="Lists show besides"
          :options="options(header)"
          placeholder="the first few"
          multiple
          @change="draft.listed = $event"
        />
        <span v-if="wrong('listed')" class="wrong">{{ wrong("listed") }}</span>
      </div>
      <label
        ><span class="field-label">Day of a record</span>
        <SelectBox
          :model-value="draft.day ?? ''"
          label="Day of a record"
          :options="orNone('the day of work', options(header.filter((f) => f.type === 'date')))"
          @change="draft.day = $event || undefined"
        />
        <span v-if="wrong('day')" class="wrong">{{ wrong("day") }}</span>
      </label>
      <div v-if="draft.posted">
        <span class="field-label">A reversal turns the sign of</span>
        <SelectBox
          :model-value="draft.signed ?? []"
          label="A reversal turns the sign of"
          :options="options(fields.filter((f) => ['amount', 'quantity', 'number'].includes(f.type)))"
          multiple
          @change="draft.signed = $event"
        />
      </div>
    </div>
    <template v-if="draft.posted && hasLines">
      <p class="ticks">
        <label><input v-model="hasJournal" type="checkbox" /> posting makes a journal from the lines</label>
        <span v-if="wrong('journal')" class="wrong">{{ wrong("journal") }}</span>
      </p>
      <div v-if="draft.journal" class="fields">
        <label
          ><span class="field-label">Account</span>
          <SelectBox
            v-model="draft.journal.account"
            label="Account of an entry"
            :options="options(lines.filter((f) => f.type === 'link'))"
        /></label>
        <label
          ><span class="field-label">Debit</span>
          <SelectBox
            v-model="draft.journal.debit"
            label="Debit of an entry"
            :options="options(lines.filter((f) => f.type === 'amount'))"
        /></label>
        <label
          ><span class="field-label">Credit</span>
          <SelectBox
            v-model="draft.journal.credit"
            label="Credit of an entry"
            :options="options(lines.filter((f) => f.type === 'amount'))"
        /></label>
        <div>
          <span class="field-label">Partners</span>
          <SelectBox
            :model-value="draft.journal.partners ?? []"
            label="Partners of an entry"
            :options="options(header.filter((f) => f.type === 'link'))"
            multiple
            @change="draft.journal!.partners = $event"
          />
        </div>
      </div>
    </template>

    <ul v-if="checked.answer?.touches.length" class="touches" role="status">
      <li v-for="t in checked.answer.touches" :key="t.code">{{ t.message }}</li>
    </ul>
    <div v-if="mayChange" class="buttons">
      <button
        type="submit"
        class="button first"
        :disabled="tried.busy || (begun && !!checked.answer?.problems.length)"
      >
        {{ entry ? "Save" : "Make the kind" }}
      </button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
      <button v-if="entry?.kind.own" type="button" class="button" :disabled="tried.busy" @click="remove">
        Delete
      </button>
      <span v-if="done" class="quiet" role="status">{{ done }}</span>
    </div>
  </form>
</template>

<style scoped>
.kind {
  max-width: 900px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 10px 14px;
  margin-bottom: 10px;
}
.ticks {
  display: flex;
  flex-wrap: wrap;
  gap: 18px;
  margin: 0 0 10px;
}
.first {
  max-width: 760px;
}
.first td {
  padding: 2px 8px 2px 0;
}
h2 {
  font-size: 16px;
  margin: 14px 0 6px;
}
.section {
  display: flex;
  gap: 10px;
  align-items: center;
  margin: 0 0 4px;
  max-width: 460px;
}
.section code {
  flex: none;
  width: 110px;
}
.section input {
  flex: 1;
}
.wrong {
  color: var(--refused);
}
.touches {
  color: var(--default);
}
.buttons {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 14px 0;
}
a.button {
  text-decoration: none;
}
</style>
