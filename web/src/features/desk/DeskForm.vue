<script setup lang="ts">
import { computed, nextTick, ref, shallowRef, useTemplateRef, watch } from "vue";
import type { FieldOutcome, KindEntry, Layout, Message } from "@/api/client";
import { addressOf, column, parseAddress } from "@/api/address";
import DeskCell from "@/features/desk/DeskCell.vue";
import GivenValues from "@/features/desk/GivenValues.vue";
import { goesTo, otherSide, sectionsOf, type Place } from "@/features/desk/order";
import type { Trial } from "@/queries/trial";
import { useCatalog } from "@/queries/catalog";

/** A document as somebody keys many of them: only what is keyed has a place of its own, and the cursor goes in its order. */
const props = defineProps<{
  entry: KindEntry;
  layout: Layout;
  trial: Trial;
  company: string;
  assisted: boolean;
  /** What the rules say of the fields of a line before anything is keyed in it, by key. */
  blankLine: Map<string, FieldOutcome>;
  /** Whether a field that is required and blank says so. */
  strict?: boolean;
  /** The keys of the fields that a second person keys; none: all. */
  only?: string[];
}>();
const emit = defineEmits<{ changed: []; standing: [address: string] }>();
const catalog = useCatalog();
const form = useTemplateRef<HTMLElement>("form");

const standing = ref("");
watch(standing, (at) => emit("standing", at));
const opened = ref(new Set<string>());

/** The line after the last, which is not there before something is keyed in it. */
const nextLine = computed(() => Math.max(0, ...props.trial.lines.value) + 1);
const lines = computed(() => [...props.trial.lines.value, nextLine.value]);

function outcomeOf(address: string): FieldOutcome | undefined {
  const { key, line } = parseAddress(address);
  const own = props.trial.fields.value.get(address);
  if (own || !line) return own;
  return props.blankLine.get(key);
}
const messages = computed(() => {
  const of = new Map<string, Message[]>();
  for (const m of props.trial.outcome.value?.messages ?? []) {
    if (!m.field && !m.line) continue;
    if (!props.strict && (m.code === "required" || m.code.startsWith("unbalanced"))) continue;
    const address = m.field ? addressOf(m.field, m.line ?? 0) : `line ${m.line}`;
    of.set(address, [...(of.get(address) ?? []), m]);
  }
  return of;
});
/** What something is said of is in sight. */
const inSight = computed(() => {
  const keys = new Set(opened.value);
  for (const list of messages.value.values())
    for (const m of list) if (m.severity === "refuse") keys.add(m.field);
  return keys;
});
const sections = computed(() => {
  const all = sectionsOf(props.entry, props.layout, {
    outcomeOf,
    lines: lines.value,
    assisted: props.assisted,
    opened: inSight.value,
    standing: standing.value,
  });
  if (!props.only?.length) return all.filter((s) => s.keyed.length || given(s.given, 0).length);
  return all
    .map((s) => ({
      ...s,
      keyed: [...s.keyed, ...s.given].filter((p) => props.only!.includes(p.field.key)),
      given: [],
    }))
    .filter((s) => s.keyed.length);
});

function textAt(address: string): string {
  return props.trial.fields.value.get(address)?.final.text ?? "";
}
function skips(place: Place, address: string): boolean {
  const { line } = parseAddress(address);
  const filled = (key: string) => {
    const at = addressOf(key, line);
    return !!props.trial.textOf(at) || !!textAt(at);
  };
  return (
    !goesTo(outcomeOf(address), props.assisted) ||
    (!!line && props.assisted && otherSide(props.entry, place.field.key, filled))
  );
}
function given(places: Place[], line: number) {
  return places.flatMap((p) => {
    const text = textAt(addressOf(p.field.key, line));
    return text ? [{ place: p, text }] : [];
  });
}
const grid = (places: Place[]) =>
  `26px ${places.map((p) => `minmax(${catalog.traits(p.field.type).width}px, ${p.width}fr)`).join(" ")} 22px`;

function cells(): HTMLElement[] {
  return [...(form.value?.querySelectorAll<HTMLElement>("[data-address]") ?? [])];
}
const inputOf = (cell?: Element | null) =>
  cell?.querySelector<HTMLInputElement>("input:not(:disabled)") ?? undefined;
function cellAt(address: string) {
  return form.value?.querySelector<HTMLElement>(`[data-address="${CSS.escape(address)}"]`) ?? undefined;
}
function go(cell?: HTMLElement): boolean {
  const input = inputOf(cell);
  if (!input) return false;
  cell!.scrollIntoView({ block: "nearest" });
  input.focus();
  standing.value = cell!.dataset.address!;
  return true;
}

/** The next cell that the cursor goes to. */
function next(from = standing.value) {
  const all = cells();
  const at = all.findIndex((c) => c.dataset.address === from);
  go(all.slice(at + 1).find((c) => c.dataset.skip !== "true" && inputOf(c)));
}
/** The first cell that the cursor should stop at: what is there already is passed over. */
async function begin() {
  opened.value = new Set();
  standing.value = "";
  await nextTick();
  const free = cells().filter((c) => c.dataset.skip !== "true" && inputOf(c));
  go(free.find((c) => !textAt(c.dataset.address!) && !c.dataset.address!.startsWith("lines.")) ?? free[0]);
}
/** The next stop after the cursor, and after the last the first. */
function nextStop() {
  const stops = cells().filter((c) => c.querySelector("[data-stop]") || c.hasAttribute("data-stop"));
  const here = cellAt(standing.value);
  const after = stops.find(
    (s) => !here || here.compareDocumentPosition(s) & Node.DOCUMENT_POSITION_FOLLOWING,
  );
  go(after ?? stops[0]);
}
/** The first cell of the section after the one that the cursor is in. */
function nextSection() {
  const here = cellAt(standing.value)?.closest("section");
  const all = [...(form.value?.querySelectorAll<HTMLElement>("section") ?? [])];
  for (const section of all.slice(here ? all.indexOf(here) + 1 : 0)) {
    const first = [...section.querySelectorAll<HTMLElement>("[data-address]")].find(
      (c) => c.dataset.skip !== "true" && inputOf(c),
    );
    if (go(first)) return;
  }
}
/** Puts the cursor on a field; on one that rules give, too. */
async function point(key: string, line?: number) {
  if (key) opened.value = new Set([...opened.value, key]);
  await nextTick();
  const of = line || props.trial.lines.value[0] || 1;
  const address = key
    ? addressOf(key, of)
    : cells().find((c) => parseAddress(c.dataset.address!).line === of)?.dataset.address;
  if (address) go(cellAt(address));
}

function on(address: string) {
  // The next line is drawn before anything else can be typed.
  void nextTick(() => next(address));
}
function focusin(event: FocusEvent) {
  const cell = (event.target as HTMLElement).closest<HTMLElement>("[data-address]");
  if (cell) standing.value = cell.dataset.address!;
}
// Where the field that the cursor was in is gone, the cursor goes to the next one.
watch(sections, async () => {
  if (!standing.value) return;
  await nextTick();
  if (document.activeElement === document.body && !cellAt(standing.value)) next(standing.value);
});

/** Where a field begins anew: its input is drawn again, with what stands there now. */
const redrawn = shallowRef(new Map<string, number>());
async function redraw(address: string) {
  redrawn.value = new Map(redrawn.value).set(address, (redrawn.value.get(address) ?? 0) + 1);
  await nextTick();
  go(cellAt(address));
}

/** The line that the cursor is in; 0: none. */
const lineHere = () => parseAddress(standing.value).line;
const undo = ref<{ line: number; back: () => void }>();
function removeLine(line = lineHere()) {
  if (!line || !props.trial.lines.value.includes(line)) return;
  emit("changed");
  const at = standing.value;
  undo.value = { line, back: props.trial.removeLine(line) };
  void nextTick(() => {
    go(cellAt(addressOf(parseAddress(at).key, nextLine.value)));
  });
}
function putBack() {
  undo.value?.back();
  undo.value = undefined;
}
watch(
  () => props.trial.lines.value,
  (now) => undo.value && now.includes(undo.value.line) && (undo.value = undefined),
);
/** A line like the one that the cursor is in, after the last. */
async function doubleLine() {
  const line = lineHere();
  if (!line || !props.trial.lines.value.includes(line)) return;
  emit("changed");
  const number = nextLine.value;
  const items = Object.entries(props.trial.entered.value)
    .filter(([address]) => parseAddress(address).line === line)
    .map(([address, item]) => [column(parseAddress(address).key), item] as const);
  const { key } = parseAddress(standing.value);
  await props.trial.enterAll({}, [{ number, entered: Object.fromEntries(items) }]);
  await nextTick();
  go(cellAt(addressOf(key, number)));
}
/** Moves the line that the cursor is in up or down. */
async function moveLine(by: -1 | 1) {
  const line = lineHere();
  const all = [...props.trial.lines.value];
  const at = all.indexOf(line);
  if (at < 0 || at + by < 0 || at + by >= all.length) return;
  emit("changed");
  [all[at], all[at + by]] = [all[at + by]!, line];
  const address = standing.value;
  await props.trial.orderLines(all);
  await nextTick();
  go(cellAt(address));
}
defineExpose({
  begin,
  next,
  nextStop,
  nextSection,
  point,
  redraw,
  removeLine,
  doubleLine,
  moveLine,
  lineHere,
});
</script>

<template>
  <div ref="form" class="desk-form" @focusin="focusin">
    <section v-for="s in sections" :key="s.key" :aria-label="s.label">
      <h2>
        {{ s.label }}
        <GivenValues
          v-if="s.key !== 'lines' && given(s.given, 0).length"
          :values="given(s.given, 0)"
          @open="point($event)"
        />
      </h2>
      <div v-if="s.key !== 'lines'" class="fields">
        <div
          v-for="p in s.keyed"
          :key="`${p.field.key} ${redrawn.get(p.field.key) ?? 0}`"
          class="field"
          :style="{ gridColumn: `span ${Math.min(p.width, 3)}` }"
          :data-address="p.field.key"
          :data-skip="skips(p, p.field.key)"
        >
          <span class="field-label" :title="p.field.help"
            >{{ p.label
            }}<span v-if="outcomeOf(p.field.key)?.need === 'required'" class="star" title="required"
              >*</span
            ></span
          >
          <DeskCell
            :place="p"
            :address="p.field.key"
            :trial="trial"
            :company="company"
            :outcome="outcomeOf(p.field.key)"
            :skip="skips(p, p.field.key)"
            @changed="emit('changed')"
            @on="on(p.field.key)"
          />
          <p v-for="(m, i) in messages.get(p.field.key)" :key="i" class="says" :class="m.severity">
            {{ m.text }}
          </p>
        </div>
      </div>
      <div v-else role="table" aria-label="Lines" class="lines">
        <div class="row head" role="row" :style="{ gridTemplateColumns: grid(s.keyed) }">
          <div role="columnheader"><span class="visually-hidden">Line</span></div>
          <div
            v-for="p in s.keyed"
            :key="p.field.key"
            role="columnheader"
            :class="{ right: catalog.traits(p.field.type).right }"
            :title="p.field.help"
          >
            {{ p.label }}
          </div>
          <div role="columnheader"><span class="visually-hidden">Remove</span></div>
        </div>
        <template v-for="line in lines" :key="line">
          <div
            class="row"
            :class="{ blank: line === nextLine }"
            role="row"
            :style="{ gridTemplateColumns: grid(s.keyed) }"
          >
            <div class="number quiet" role="rowheader">{{ line === nextLine ? "+" : line }}</div>
            <div
              v-for="p in s.keyed"
              :key="`${p.field.key} ${redrawn.get(addressOf(p.field.key, line)) ?? 0}`"
              role="cell"
              :data-address="addressOf(p.field.key, line)"
              :data-skip="skips(p, addressOf(p.field.key, line))"
            >
              <DeskCell
                v-if="outcomeOf(addressOf(p.field.key, line))?.access !== 'hidden'"
                :place="p"
                :address="addressOf(p.field.key, line)"
                :trial="trial"
                :company="company"
                :outcome="outcomeOf(addressOf(p.field.key, line))"
                :skip="skips(p, addressOf(p.field.key, line))"
                in-line
                :unit="
                  s.keyed.some((o) => o.field.key === `lines.${p.field.unit}`)
                    ? trial.unitOf(p.field, line)
                    : undefined
                "
                @changed="emit('changed')"
                @on="on(addressOf(p.field.key, line))"
              />
            </div>
            <div role="cell">
              <button
                v-if="line !== nextLine"
                type="button"
                class="plain drop"
                tabindex="-1"
                :aria-label="`Remove line ${line}`"
                @click="removeLine(line)"
              >
                ×
              </button>
            </div>
          </div>
          <div v-if="given(s.given, line).length" class="under" role="row">
            <div role="cell"><GivenValues :values="given(s.given, line)" @open="point($event, line)" /></div>
          </div>
          <p
            v-for="(m, i) in s.keyed
              .flatMap((p) => messages.get(addressOf(p.field.key, line)) ?? [])
              .concat(messages.get(`line ${line}`) ?? [])"
            :key="i"
            class="says under"
            :class="m.severity"
          >
            {{ m.label && !m.text.startsWith(m.label) ? `${m.label}: ${m.text}` : m.text }}
          </p>
        </template>
      </div>
      <p v-if="s.key === 'lines' && undo" class="under" role="status">
        Line {{ undo.line }} is removed.
        <button type="button" class="plain" @click="putBack">Put it back</button>
      </p>
    </section>
  </div>
</template>

<style scoped>
section + section {
  margin-top: 10px;
}
h2 {
  font-size: 14px;
  border-bottom: 1px solid var(--rule-strong);
  margin-bottom: 6px;
  padding-bottom: 2px;
  display: flex;
  gap: 14px;
  align-items: baseline;
  flex-wrap: wrap;
}
.fields {
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  gap: 4px 12px;
  align-items: start;
}
.field {
  min-width: 0;
}
.field-label {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  display: block;
}
.star {
  color: var(--entry);
  font-weight: 700;
  margin-left: 2px;
}
.under {
  margin: 0 0 2px 30px;
}
.says {
  margin: 1px 0 0;
  font-size: 12px;
  color: var(--ink-soft);
}
.says.under {
  margin-left: 30px;
}
.says.refuse {
  color: var(--refused);
}
.row {
  display: grid;
  column-gap: 4px;
  align-items: center;
  min-width: fit-content;
  padding: 1px 0;
}
.lines {
  overflow-x: auto;
}
.head {
  color: var(--ink-soft);
  font-size: 12px;
}
.head > div {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  padding: 0 4px;
}
.right {
  text-align: right;
}
.number {
  text-align: right;
  padding-right: 4px;
}
.drop {
  text-decoration: none;
  font-size: 16px;
  color: var(--ink-soft);
}
</style>
