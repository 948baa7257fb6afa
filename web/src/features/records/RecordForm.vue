<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import type { Family, Field, KindEntry, Layout } from "@/api/client";
import { addressOf, ofLine } from "@/api/address";
import BandSignal from "@/ui/BandSignal.vue";
import LateInput from "@/ui/LateInput.vue";
import CellInput from "@/features/records/CellInput.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import LinesTable from "@/features/records/LinesTable.vue";
import type { Trial } from "@/queries/trial";
import { families } from "@/ui/families";

const props = defineProps<{
  entry: KindEntry;
  layout: Layout;
  trial: Trial;
  company: string;
  readonly?: boolean;
  /** Whether a field that is required and blank says so beneath. */
  strict?: boolean;
}>();
const emit = defineEmits<{ changed: []; derive: [address: string] }>();
const form = ref<HTMLElement>();

interface Shown {
  field: Field;
  label: string;
  width: number;
}

/** The sections in the order of the layout; one without a field in sight is left out. */
const sections = computed(() =>
  props.layout.sections
    .filter((s) => !s.hidden)
    .map((s) => ({
      key: s.key,
      label: s.label || props.entry.kind.sections.find((k) => k.key === s.key)?.label || s.key,
      fields: s.fields.flatMap<Shown>((place) => {
        const field = props.entry.kind.fields.find((f) => f.key === place.key);
        if (!field || place.hidden) return [];
        if (!ofLine(field.key) && outcomeOf(field.key)?.access === "hidden") return [];
        return [{ field, label: place.label || field.label, width: place.width }];
      }),
    }))
    .filter((s) => s.fields.length),
);

function outcomeOf(key: string) {
  return props.trial.fields.value.get(key);
}
function messagesOf(key: string) {
  return (props.trial.outcome.value?.messages ?? []).filter(
    (m) => m.field === key && !m.line && (props.strict || m.code !== "required"),
  );
}

/** Where the value of a field comes from, in the words of its rule. */
function madeBy(key: string): string {
  const field = outcomeOf(key);
  const act = field?.acts.find((a) => a.family === field.made && a.did === "acted");
  return act ? `${families[field!.made as Family].label}: ${act.phrase}` : "";
}
/** The field that the cursor is in: what must be keyed twice asks before the cursor has gone on. */
const here = ref("");
/** Going from the value to the one keyed again stays in the same place. */
function leaves(event: FocusEvent) {
  if (!(event.currentTarget as HTMLElement).contains(event.relatedTarget as Node | null)) here.value = "";
}
/** A value that is new here and must be keyed twice. */
function asksAgain(key: string): boolean {
  const field = outcomeOf(key);
  if (here.value === key && field?.twice && !props.readonly) return true;
  const changed = field?.entered.text && field.made !== "stored";
  return !props.readonly && !!field?.twice && !!changed && !field.misfit;
}
/** Whether the cursor passes the field over; a person can turn that off. */
function passes(key: string): boolean {
  return assisted.value && outcomeOf(key)?.cursor === "passed over";
}
const assisted = ref(true);
/** Turns on and off that the cursor passes fields over, for this document. */
function assist(): boolean {
  return (assisted.value = !assisted.value);
}
/** Jumps to the next stop after where the cursor is, and from the last to the first. */
function nextStop() {
  const stops = [...(form.value?.querySelectorAll<HTMLElement>("[data-stop] input") ?? [])];
  const here = document.activeElement;
  const after = stops.find(
    (s) => !here || here.compareDocumentPosition(s) & Node.DOCUMENT_POSITION_FOLLOWING,
  );
  (after ?? stops[0])?.focus();
}

/** What is stored, where saving would store another value that nobody typed here. */
function storedNote(key: string): string {
  const stored = outcomeOf(key)?.stored?.text || "blank";
  return `Not stored yet; stored is ${stored}`;
}

async function enter(address: string, text: string) {
  emit("changed");
  await props.trial.enter(address, text);
}

/** Puts the cursor on a field. */
async function point(key: string, line?: number) {
  await nextTick();
  const address = addressOf(key, line || props.trial.lines.value[0] || 1);
  const cell = form.value?.querySelector<HTMLElement>(`[data-address="${address}"]`);
  cell?.scrollIntoView({ block: "nearest" });
  cell?.querySelector("input")?.focus();
}
/** Puts the cursor on the first field that is blank. */
async function begin() {
  await nextTick();
  const inputs = [...(form.value?.querySelectorAll<HTMLInputElement>(".field input:not(.native)") ?? [])];
  (inputs.find((i) => !i.value) ?? inputs[0])?.focus();
}
defineExpose({ point, begin, nextStop, assist });
</script>

<template>
  <div ref="form" class="form">
    <section v-for="s in sections" :key="s.key" :aria-label="s.label">
      <h2>{{ s.label }}</h2>
      <LinesTable
        v-if="s.key === 'lines'"
        :columns="s.fields"
        :trial="trial"
        :company="company"
        :readonly="readonly"
        :strict="strict"
        :assisted="assisted"
        @changed="emit('changed')"
        @derive="emit('derive', $event)"
      />
      <div v-else class="fields">
        <div
          v-for="f in s.fields"
          :key="f.field.key"
          class="field"
          :data-address="f.field.key"
          :tabindex="readonly ? 0 : undefined"
          :style="{ gridColumn: `span ${f.width}` }"
          @focusin="here = f.field.key"
          @focusout="leaves"
        >
          <label class="field-label" :for="`field-${f.field.key}`" :title="f.field.help">
            {{ f.label
            }}<span v-if="outcomeOf(f.field.key)?.need === 'required'" class="star" title="required">*</span>
            <FamilyGlyph
              v-if="(outcomeOf(f.field.key)?.made ?? '') in families && outcomeOf(f.field.key)?.final.text"
              class="glyph"
              :class="`family-${outcomeOf(f.field.key)?.made}`"
              :family="outcomeOf(f.field.key)?.made as Family"
              :title="madeBy(f.field.key)"
            />
          </label>
          <CellInput
            :field="f.field"
            :label="f.label"
            :input-id="`field-${f.field.key}`"
            :text="trial.textOf(f.field.key)"
            :outcome="outcomeOf(f.field.key)"
            :unjudged="!!trial.problem.value"
            :company="company"
            :readonly="readonly"
            :skip="passes(f.field.key)"
            :data-stop="outcomeOf(f.field.key)?.cursor === 'stop' || undefined"
            @enter="enter(f.field.key, $event)"
          />
          <BandSignal v-if="outcomeOf(f.field.key)?.band" :band="outcomeOf(f.field.key)!.band!" />
          <label v-if="asksAgain(f.field.key)" class="again"
            ><span class="quiet">Enter it again</span>
            <LateInput
              :aria-label="`${f.label}, keyed again`"
              :value="trial.entered.value[f.field.key]?.again ?? ''"
              @take="trial.enterAgain(f.field.key, $event)"
          /></label>
          <p v-if="outcomeOf(f.field.key)?.offered && !readonly" class="says">
            {{ f.label }} is {{ outcomeOf(f.field.key)!.offered!.text }} in the linked record.
            <button type="button" class="plain" @click="emit('derive', f.field.key)">Use it</button>
          </p>
          <p v-if="outcomeOf(f.field.key)?.stored && !readonly" class="says unstored">
            {{ storedNote(f.field.key) }}
          </p>
          <p v-for="(m, i) in messagesOf(f.field.key)" :key="i" class="says" :class="m.severity">
            {{ m.text }}
          </p>
        </div>
      </div>
    </section>
  </div>
</template>

<style scoped>
section + section {
  margin-top: 14px;
}
h2 {
  font-size: 15px;
  border-bottom: 1px solid var(--rule-strong);
  margin-bottom: 8px;
  padding-bottom: 2px;
}
.fields {
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  gap: 8px 12px;
  align-items: start;
}
.field {
  min-width: 0;
}
.field-label {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.star {
  color: var(--entry);
  font-weight: 700;
  margin-left: 2px;
}
.glyph {
  color: var(--hue);
  margin-left: 4px;
}
.says {
  margin: 2px 0 0;
  font-size: 12px;
  color: var(--ink-soft);
}
.unstored {
  font-style: italic;
}
.again {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
  font-size: 12px;
  margin-top: 3px;
}
.says.refuse {
  color: var(--refused);
}
</style>
