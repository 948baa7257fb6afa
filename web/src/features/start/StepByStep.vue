<script setup lang="ts">
import { useLocalStorage } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";
import { RouterLink, useRouter } from "vue-router";
import { api, type Field } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { change, useAsked } from "@/queries/client";
import { inSentence } from "@/queries/format";
import StartFields from "@/features/start/StartFields.vue";
import StartLists from "@/features/start/StartLists.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/**
 * From nothing to a first rule: a company, a kind with a type, the codes and fields it needs, and the rule. Each
 * step is kept as it is done; lists and fields can be left as they are.
 */
const catalog = useCatalog();
const router = useRouter();
const tried = useAttempt();

const companies = computed(() => catalog.catalog?.companies ?? []);
const company = ref({ key: "10", name: "", country: "", currency: "" });
/** The currency follows the country, until somebody writes another. */
const currencyOf: Record<string, string> = {
  IE: "EUR",
  DK: "DKK",
  JP: "JPY",
  CH: "CHF",
  GB: "GBP",
  US: "USD",
};
function takeCountry(typed: string) {
  const list = catalog.catalog?.lists.find((l) => l.key === "countries")?.options ?? [];
  const wanted = typed.trim().toLowerCase();
  const code =
    list.find((o) => o.code.toLowerCase() === wanted || o.label.toLowerCase() === wanted)?.code ?? "";
  if (!company.value.currency && currencyOf[code]) company.value.currency = currencyOf[code]!;
}
async function saveCompany() {
  const { key, ...said } = company.value;
  await tried.attempt(() =>
    change(
      api.PUT("/companies/{key}", {
        params: { path: { key } },
        body: { key, ...said, rounding: "half-up", calendar: { freeDays: [6, 7], holidays: [] } },
      }),
    ),
  );
}

const kind = ref("");
watch(
  () => catalog.kinds,
  (kinds) => (kind.value ||= kinds.find((k) => k.types.length)?.kind.key ?? kinds[0]?.kind.key ?? ""),
  { immediate: true },
);
const entry = computed(() => catalog.entry(kind.value));
const types = computed(() => entry.value?.types ?? []);
const type = ref({ key: "STD", label: "Standard" });
async function saveType() {
  const path = { kind: kind.value, key: type.value.key };
  await tried.attempt(() =>
    change(
      api.PUT("/types/{kind}/{key}", {
        params: { path },
        body: { kind: path.kind, ...type.value, companies: [] },
      }),
    ),
  );
}

const rules = useAsked(
  () => (kind.value ? ["rules", kind.value] : undefined),
  (signal) => api.GET("/rules", { params: { query: { kind: kind.value } }, signal }),
);
const inForce = computed(() => rules.data?.find((r) => r.state === "in force"));

// The first rule: one of the usual ones, on a field.
const field = ref("");
watch(entry, (e) => (field.value = e?.kind.title[0] ?? e?.kind.fields[0]?.key ?? ""), { immediate: true });
const what = ref<"required" | "default">("required");
const value = ref("");
const chosen = computed(() => entry.value?.kind.fields.find((f) => f.key === field.value));
const example = ref<{ rule: number; proofs: number; sentence: string }>();

/** A value that a field of the type can have; undefined where only saved records can say. */
function sampleOf(f: Field): string | undefined {
  const samples: Record<string, string> = {
    text: "Example",
    date: "2026-01-15",
    "yes-no": "yes",
    percent: "1 %",
  };
  return f.choices?.[0]?.code ?? (["number", "amount", "quantity"].includes(f.type) ? "1" : samples[f.type]);
}
/** The fields that a first rule can be proved on without any record. */
const provable = computed(() =>
  (entry.value?.kind.fields ?? []).filter((f) => !f.key.startsWith("lines.") && sampleOf(f)),
);

/** Writes the rule, proves it on a document that should trigger it and one that should not, and puts it in force. */
async function first() {
  await tried.attempt(async () => {
    const now = new Date().toISOString().slice(0, 10);
    const effect =
      what.value === "required"
        ? { need: "required" as const, access: "open" as const }
        : { lifetime: "new only" as const, value: JSON.stringify(value.value.trim()) };
    const body = {
      kind: kind.value,
      family: what.value === "required" ? ("entry" as const) : ("default" as const),
      target: field.value,
      scope: { companies: [], types: [], from: "", until: "" },
      when: "",
      effect,
      on: { new: true, change: what.value === "required" },
      priority: 0,
      note: { askedBy: "", askedOn: now, why: "The first rule" },
    };
    const draft = await change(api.POST("/rules", { body: { body } }));
    // One document in which the rule acts, as the field is blank, and one in which it keeps still.
    const scope = { kind: kind.value, company: companies.value[0]!.key, type: types.value[0]!.key, day: "" };
    const label = chosen.value!.label;
    for (const [name, entered] of [
      [`${label} is blank`, {}],
      [`${label} is filled`, { [field.value]: { typed: sampleOf(chosen.value!) } }],
    ] as const) {
      await change(
        api.POST("/proofs", {
          body: { document: { ...scope, entered }, name, rules: [draft.id], acting: true },
        }),
      );
    }
    await change(
      api.POST("/rules/{id}/state", {
        params: { path: { id: draft.id } },
        body: { state: "in force", version: draft.version },
      }),
    );
    example.value = { rule: draft.id, proofs: 2, sentence: draft.sentence };
  });
}

/** The steps that need nothing, and were gone through; kept, so that one can stop and go on. */
const gone = useLocalStorage<string[]>("codicil-start-gone", []);
const went = (step: string) => (gone.value = [...new Set([...gone.value, step])]);
const passed = (step: string) => !!inForce.value || gone.value.includes(step);

const steps = computed(() => [
  { key: "company", title: "A company", done: companies.value.length > 0 },
  { key: "type", title: "What records, and of which type", done: types.value.length > 0 },
  { key: "lists", title: "The codes you use", done: types.value.length > 0 && passed("lists") },
  { key: "fields", title: "Fields of your own", done: types.value.length > 0 && passed("fields") },
  { key: "rule", title: "A first rule, proved and in force", done: !!inForce.value },
]);
const current = computed(() => steps.value.find((s) => !s.done)?.key ?? "");
const page = ref<HTMLElement>();
watch(current, () => {
  void nextTick(() => page.value?.querySelector<HTMLElement>("form input:not([disabled])")?.focus());
});
function toPlan() {
  const scope = { kind: kind.value, company: companies.value[0]?.key, type: types.value[0]?.key };
  void router.push({ path: "/plan", query: scope });
}
</script>

<template>
  <div ref="page">
    <TroubleNote v-bind="tried.trouble" />
    <ol class="steps">
      <li v-for="(s, i) in steps" :key="s.key" :class="{ done: s.done, now: s.key === current }">
        <h2>
          <span class="place">{{ s.done ? "✓" : i + 1 }}</span> {{ s.title }}
        </h2>

        <template v-if="s.key === 'company'">
          <p v-if="s.done" class="quiet">
            {{ companies.map((c) => `${c.key} ${c.name}`).join(", ") }}.
            <RouterLink to="/tables/companies">Calendar, rounding, more companies</RouterLink>
          </p>
          <form v-else class="line-up" aria-label="Company" @submit.prevent="saveCompany">
            <label class="key"
              ><span class="field-label">Key</span
              ><input v-model.trim="company.key" class="line mono" required
            /></label>
            <label class="wide"
              ><span class="field-label">Name</span
              ><input v-model="company.name" class="line" required autofocus
            /></label>
            <label
              ><span class="field-label">Country</span
              ><input
                v-model="company.country"
                class="line"
                placeholder="Ireland, or IE"
                required
                @change="takeCountry(company.country)"
            /></label>
            <label
              ><span class="field-label">Currency</span
              ><input v-model="company.currency" class="line" placeholder="Euro, or EUR" required
            /></label>
            <button type="submit" class="button first" :disabled="tried.busy">Save the company</button>
          </form>
        </template>

        <template v-else-if="s.key === 'type'">
          <p v-if="companies.length" class="sentence">
            My records are
            <SelectBox
              v-model="kind"
              label="Kind of record"
              :options="catalog.kindOptions(true)"
              in-sentence
            />
            <span class="quiet"
              >or <RouterLink to="/tables/kinds?new">a kind of your own</RouterLink>, or
              <RouterLink to="/start?way=spreadsheet">one from a spreadsheet</RouterLink></span
            >
          </p>
          <p v-if="s.done" class="quiet">
            {{ entry?.kind.typeLabel }}: {{ types.map((t) => t.label).join(", ") }}.
          </p>
          <form v-else-if="companies.length" class="line-up" aria-label="Type" @submit.prevent="saveType">
            <label class="key"
              ><span class="field-label">{{ entry?.kind.typeLabel }}: key</span
              ><input v-model.trim="type.key" class="line mono" required
            /></label>
            <label class="wide"
              ><span class="field-label">Name</span><input v-model="type.label" class="line" required
            /></label>
            <button type="submit" class="button first" :disabled="tried.busy">Save the type</button>
          </form>
        </template>

        <template v-else-if="s.key === 'lists'">
          <p v-if="s.done" class="quiet">
            <RouterLink to="/tables/lists">All lists, with what each company uses and calls them</RouterLink>
          </p>
          <StartLists
            v-else-if="s.key === current && entry && companies[0]"
            :entry="entry"
            :country="companies[0].country"
            :currency="companies[0].currency"
            @done="went('lists')"
          />
        </template>

        <template v-else-if="s.key === 'fields'">
          <p v-if="s.done" class="quiet">
            {{ entry?.kind.fields.length }} fields.
            <RouterLink :to="`/tables/fields?kind=${kind}`">All fields</RouterLink>
          </p>
          <StartFields v-else-if="s.key === current && entry" :entry="entry" @done="went('fields')" />
        </template>

        <template v-else>
          <p v-if="s.done">
            {{ example?.sentence ?? inForce?.sentence }}
            <template v-if="example">It has {{ example.proofs }} proofs.</template>
            {{ " " }}
            <button type="button" class="button first" @click="toPlan">Open the plan</button>
            <span class="quiet"> Type a document there, and see what happens to every value.</span>
          </p>
          <form v-else-if="s.key === current" class="line-up" aria-label="First rule" @submit.prevent="first">
            <p class="sentence">
              On {{ inSentence(entry?.kind.plural) }},
              <SelectBox
                v-model="field"
                label="Field of the first rule"
                in-sentence
                :options="provable.map((f) => ({ value: f.key, label: f.label }))"
              />
              <SelectBox
                v-model="what"
                label="What the first rule does"
                in-sentence
                :options="[
                  { value: 'required', label: 'must be filled' },
                  { value: 'default', label: 'is filled with' },
                ]"
              />
              <input
                v-if="what === 'default'"
                v-model="value"
                class="line value"
                required
                :aria-label="`Value of ${chosen?.label ?? 'the field'}`"
              />
            </p>
            <button type="submit" class="button first" :disabled="tried.busy">
              Prove it and put it in force
            </button>
            <button type="button" class="plain" @click="toPlan">or write one on the plan</button>
          </form>
        </template>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.steps {
  list-style: none;
  margin: 0;
  padding: 0;
}
.steps li {
  padding: 12px 0 14px;
  border-bottom: 1px solid var(--rule);
}
.steps li:not(.now, .done) h2 {
  color: var(--ink-soft);
}
h2 {
  margin: 0 0 6px;
}
.place {
  display: inline-block;
  width: 22px;
  color: var(--ink-soft);
}
.key {
  width: 130px;
}
.wide {
  width: 260px;
}
.sentence {
  font: 17px/30px var(--serif);
  margin: 0;
}
.value {
  width: 140px;
}
</style>
