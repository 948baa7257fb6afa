<script setup lang="ts">
import FileButton from "@/ui/FileButton.vue";
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import { api, ask, type Field, type Kind, type Schemas } from "@/api/client";
import { keyOf } from "@/api/address";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { change } from "@/queries/client";
import { count } from "@/queries/format";
import { bring, setUp, startLoad } from "@/queries/loads";
import { useRun, works } from "@/queries/runs";
import { guessKind, type KindGuess } from "@/queries/start";
import { orNone } from "@/ui/choice";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** A kind of record made of a spreadsheet: each guess with its evidence, to be corrected; then the rows are loaded. */
const tried = useAttempt();
const catalog = useCatalog();
const file = ref<File>();
const guess = ref<KindGuess>();
const kind = ref<Kind>();
const columns = ref<(Schemas["GuessedColumn"] & { use: boolean })[]>([]);
/** The column that tells one row from another, by name; "": none is to. */
const alone = ref("");
const company = ref("");
const type = ref({ key: "STD", label: "Standard" });

async function choose(chosen: File) {
  file.value = chosen;
  guess.value = undefined;
  made.value = undefined;
  await tried.attempt(async () => {
    const found = await guessKind(chosen, chosen.name);
    kind.value = { ...found.kind, key: keyOf(found.kind.label), prefix: initials(found.kind.label) };
    company.value = catalog.catalog?.companies[0]?.key ?? "";
    take(found);
  });
}
function take(found: KindGuess) {
  guess.value = found;
  columns.value = found.columns.map((c) => ({ ...c, use: c.filled > 0 }));
  // A text that is always there and never twice is most likely what people call the record by.
  const key = found.columns.find(
    (c) => !c.line && c.unique && c.filled === found.records && c.field.type === "text",
  );
  alone.value = found.by || (key?.name ?? "");
}
/** Takes other rows for one record; labels and types that were corrected stay. */
async function group(by: string) {
  await tried.attempt(async () => {
    const corrected = new Map(columns.value.map((c) => [c.name, c]));
    take(await guessKind(file.value!, file.value!.name, by));
    for (const c of columns.value) {
      const before = corrected.get(c.name)!;
      const { key, section } = c.field;
      if (c.line === before.line) c.field = { ...before.field, key, section };
      c.field.label = before.field.label;
      c.use = before.use;
    }
  });
}
/** Puts a column with the records, or with their lines. */
function place(c: Schemas["GuessedColumn"], line: boolean) {
  c.line = line;
  const key = c.field.key.replace(/^lines\./, "");
  c.field.key = line ? `lines.${key}` : key;
  c.field.section = line ? "lines" : "general";
}
const sections = computed(() => [
  { key: "general", label: "General" },
  ...(columns.value.some((c) => c.use && c.line) ? [{ key: "lines", label: "Lines" }] : []),
]);
const lined = computed(() => sections.value.length > 1 || !!guess.value?.by || !!guess.value?.nested);
const initials = (label: string) =>
  label
    .replace(/[^A-Za-z]/g, "")
    .slice(0, 2)
    .toUpperCase() || "R";
const traits = (name: string) => catalog.traits(name);
const special = computed(() => columns.value.some((c) => c.use && c.special === "company"));
function rename(label: string) {
  const k = kind.value!;
  if (k.key === keyOf(k.label)) k.key = keyOf(label);
  if (k.prefix === initials(k.label)) k.prefix = initials(label);
  k.label = label;
}
function setType(field: Field, name: string) {
  field.type = name;
  if (!traits(name).settings.includes("choices")) field.choices = field.list = undefined;
  if (!traits(name).settings.includes("kind")) field.kind = undefined;
}

const made = ref<{ kind: string; load: number; run: number }>();
const run = useRun(() => made.value?.run);
const refused = computed(() => (run.data?.counts?.refuse ?? 0) + (run.data?.counts?.confirm ?? 0));
/** Puts a rule in force that no two records share a value of a field, so that the file can be loaded again. */
async function neverTwice(kindKey: string, field: string) {
  // Where the load failed after it, it is there already.
  const rules = await ask(api.GET("/rules", { params: { query: { kind: kindKey } } }));
  if (rules.some((r) => r.body.target === field && r.body.effect.unique && r.state === "in force")) return;
  const unique = { with: [], everywhere: false, ignore: ["case" as const, "spaces" as const], near: false };
  const message = `Another of the ${kind.value!.plural.toLowerCase()} has this value.`;
  const why = `No two of the first ${count(guess.value!.records)} records of ${file.value!.name} share a value.`;
  const draft = await change(
    api.POST("/rules", {
      body: {
        body: {
          kind: kindKey,
          family: "validate",
          target: field,
          scope: { companies: [], types: [], from: "", until: "" },
          when: "",
          effect: { severity: "refuse", message, unique },
          on: { new: true, change: true },
          priority: 0,
          note: { askedBy: "", askedOn: new Date().toISOString().slice(0, 10), why },
        },
      },
    }),
  );
  await change(
    api.POST("/rules/{id}/state", {
      params: { path: { id: draft.id } },
      body: { state: "in force", version: draft.version, reason: why },
    }),
  );
}
/** Makes the kind, and begins to load the rows. What is made stays, also where the rows do not load. */
async function make() {
  const k = kind.value!;
  const used = columns.value.filter((c) => c.use);
  const fields = used.filter((c) => !c.special).map((c) => c.field);
  const title = k.title.filter((key) => fields.some((f) => f.key === key));
  if (!title.length && fields[0]) title.push(fields[0].key);
  await tried.attempt(async () => {
    if (!catalog.entry(k.key)) {
      await change(
        api.PUT("/kinds/{kind}", {
          params: { path: { kind: k.key } },
          body: {
            kind: { ...k, title, sections: sections.value, fields: [] },
            new: true,
            fields,
            types: [{ kind: k.key, ...type.value }],
          },
        }),
      );
    }
    const key = used.find((c) => c.name === alone.value && !c.special)?.field.key;
    if (key) await neverTwice(k.key, key);
    const load = await bring(k.key, file.value!, file.value!.name);
    const mapped = Object.fromEntries(used.map((c) => [c.name, c.special || c.field.key]));
    const constants: Record<string, string> = { type: type.value.key };
    if (!special.value) constants.company = company.value;
    await setUp(load.id, {
      ...load.setup,
      columns: mapped,
      constants,
      key: key ? [key] : [],
      format: guess.value!.format,
    });
    const started = await startLoad(load.id);
    made.value = { kind: k.key, load: load.id, run: started.id };
  });
}
</script>

<template>
  <TroubleNote v-bind="tried.trouble" />
  <p>
    <FileButton label="Choose a spreadsheet" accept=".csv,.txt,.tsv,.xlsx,.ndjson" @chosen="choose" />
    <span class="quiet"> CSV, XLSX or NDJSON; its first row names the columns.</span>
  </p>
  <p v-if="!catalog.catalog?.companies.length" class="notice">
    Records belong to a company. <RouterLink to="/start?way=steps">Make one first</RouterLink>; it takes a
    minute.
  </p>
  <template v-if="made">
    <p role="status">
      {{ kind?.plural }} are a kind of record now.
      <template v-if="works(run.data)"
        >{{ count(run.data!.done) }} of {{ count(run.data!.total) }} rows are loaded…</template
      >
      <template v-else-if="run.data"
        >{{ count(run.data.counts?.add ?? 0) }} records were added{{
          refused ? `, ${count(refused)} rows were refused` : ""
        }}.</template
      >
    </p>
    <p v-if="run.data && !works(run.data)" class="next">
      <RouterLink class="button first" :to="`/rules/learned?kind=${made.kind}`"
        >See what rules they show</RouterLink
      >
      <RouterLink class="button" :to="`/records/${made.kind}`">Look at the records</RouterLink>
      <RouterLink v-if="refused" class="button" :to="`/loads/${made.load}`"
        >Correct the refused rows</RouterLink
      >
    </p>
  </template>
  <form v-else-if="guess && kind" aria-label="Kind from a spreadsheet" @submit.prevent="make">
    <div class="fields">
      <label
        ><span class="field-label">One record is called</span
        ><input
          class="line"
          :value="kind.label"
          required
          @input="rename(($event.target as HTMLInputElement).value)"
      /></label>
      <label
        ><span class="field-label">Several are called</span
        ><input v-model="kind.plural" class="line" required
      /></label>
      <label
        ><span class="field-label">Numbers begin with</span
        ><input v-model.trim="kind.prefix" class="line mono" required
      /></label>
      <label v-if="!special"
        ><span class="field-label">They belong to</span>
        <SelectBox v-model="company" label="Company of the rows" :options="catalog.companyOptions"
      /></label>
      <label
        ><span class="field-label">Never twice</span>
        <SelectBox
          v-model="alone"
          label="Never twice"
          :options="
            orNone(
              'any value may be',
              columns
                .filter((c) => (c.unique || c.name === guess?.by) && c.use && !c.line && !c.special)
                .map((c) => ({ value: c.name, label: c.field.label })),
            )
          "
      /></label>
      <label v-if="!guess.nested"
        ><span class="field-label">One record is</span>
        <SelectBox
          :model-value="guess.by"
          label="One record is"
          :options="
            orNone(
              'each row',
              columns
                .filter((c) => c.groups)
                .map((c) => ({ value: c.name, label: `rows of one ${c.field.label}` })),
            )
          "
          @change="group"
      /></label>
      <label
        ><span class="field-label">Their type: key</span
        ><input v-model.trim="type.key" class="line mono" required
      /></label>
      <label
        ><span class="field-label">Their type: name</span><input v-model="type.label" class="line" required
      /></label>
    </div>
    <table class="ledger">
      <thead>
        <tr>
          <th>Use</th>
          <th>Column</th>
          <th v-if="lined">Belongs to</th>
          <th>Type</th>
          <th>From, or to</th>
          <th>Because</th>
          <th>Such as</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(c, i) in columns" :key="i" :class="{ unused: !c.use }">
          <td><input v-model="c.use" type="checkbox" :aria-label="`Use the column ${c.name}`" /></td>
          <td><input v-model="c.field.label" class="line" :aria-label="`Label of ${c.name}`" /></td>
          <td v-if="lined" class="place">
            <template v-if="c.special || guess.nested || c.name === guess.by">{{
              c.line ? "lines" : "record"
            }}</template>
            <SelectBox
              v-else
              :model-value="c.line ? 'lines' : ''"
              :label="`${c.name} belongs to`"
              :options="[
                { value: '', label: 'record' },
                { value: 'lines', label: 'lines' },
              ]"
              @change="place(c, $event === 'lines')"
            />
          </td>
          <template v-if="c.special">
            <td colspan="2">the company of the row</td>
          </template>
          <template v-else>
            <td>
              <SelectBox
                :model-value="c.field.type"
                :label="`Type of ${c.name}`"
                :options="(catalog.catalog?.fieldTypes ?? []).map((t) => ({ value: t.name, label: t.label }))"
                @change="setType(c.field, $event)"
              />
            </td>
            <td>
              <SelectBox
                v-if="traits(c.field.type).settings.includes('kind')"
                v-model="c.field.kind"
                :label="`${c.name} links to`"
                :options="catalog.kindOptions()"
              />
              <SelectBox
                v-else-if="traits(c.field.type).settings.includes('choices') && !c.field.choices?.length"
                v-model="c.field.list"
                :label="`${c.name} chooses from`"
                :options="(catalog.catalog?.lists ?? []).map((l) => ({ value: l.key, label: l.label }))"
              />
              <template v-else-if="c.field.choices?.length"
                >{{ c.field.choices.length }} choices of its own</template
              >
              <template v-else-if="traits(c.field.type).settings.includes('length')"
                >up to {{ c.field.length }} characters</template
              >
            </td>
          </template>
          <td class="quiet">{{ c.evidence.join("; ") }}</td>
          <td class="quiet samples">{{ c.samples.join(" · ") }}</td>
        </tr>
      </tbody>
    </table>
    <div class="buttons">
      <button
        type="submit"
        class="button first"
        :disabled="tried.busy || (!special && !company) || !columns.some((c) => c.use)"
      >
        Make the kind and load {{ count(guess.rows) }} rows{{
          guess.looked === guess.rows && guess.records < guess.rows
            ? ` as ${count(guess.records)} records`
            : ""
        }}
      </button>
    </div>
  </form>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 10px 14px;
  margin-bottom: 12px;
}
.ledger td {
  padding: 3px 8px 3px 0;
}
.place {
  min-width: 92px;
}
.unused {
  opacity: 0.55;
}
.samples {
  max-width: 150px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.notice {
  color: var(--default);
}
.buttons,
.next {
  display: flex;
  gap: 8px;
  margin: 12px 0;
}
a.button {
  text-decoration: none;
}
</style>
