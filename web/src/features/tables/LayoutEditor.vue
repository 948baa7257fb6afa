<script setup lang="ts">
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import { computed, nextTick, reactive, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, type LayoutView } from "@/api/client";
import KindPicker from "@/features/tables/KindPicker.vue";
import RecordForm from "@/features/records/RecordForm.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { askOnce, change } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { useLayoutDraft, type Position } from "@/features/tables/layoutDraft";
import { useTrial, type Scope } from "@/queries/trial";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";

const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const layout = useLayoutDraft();
const { draft, dirty } = layout;

const entry = computed(() => catalog.entry(String(route.query.kind ?? "")) ?? catalog.kinds[0]);
const scope = computed(() => ({
  kind: entry.value?.kind.key ?? "",
  company: String(route.query.company ?? ""),
  type: String(route.query.type ?? ""),
}));
const view = ref<LayoutView>();
const preview = ref(false);
const selected = ref<Position>();
const chosen = computed(() => (selected.value ? layout.fieldAt(selected.value) : undefined));
const said = ref("");
const board = ref<HTMLElement>();

function rescope(next: { company?: string; type?: string }) {
  const query: Record<string, string> = { ...scope.value, ...next };
  for (const key of Object.keys(query)) if (!query[key]) delete query[key];
  void router.replace({ path: route.path, query });
}

/** Tells whether what was asked for a scope still belongs on the screen. */
const isShown = (of: typeof scope.value) => JSON.stringify(of) === JSON.stringify(scope.value);
watch(
  () => JSON.stringify(scope.value),
  () =>
    tried.attempt(async () => {
      const of = scope.value;
      const found = await askOnce(["layout", of], () => api.GET("/layouts", { params: { query: of } }));
      if (!isShown(of)) return;
      show(found);
      said.value = "";
    }),
  { immediate: true },
);
function show(shown: LayoutView) {
  view.value = shown;
  selected.value = undefined;
  layout.load(shown.layout);
}

/** Whether the layout was made for just the scope that is chosen. */
const own = computed(
  () =>
    !!view.value?.made && view.value.company === scope.value.company && view.value.type === scope.value.type,
);
function nameOf(company: string, type: string): string {
  const parts = [company ? catalog.companyName(company) : "all companies"];
  if (type) parts.push(catalog.typeName(type, scope.value.kind));
  return parts.join(", ");
}

async function save() {
  const of = scope.value;
  const body = draft.value;
  const sent = JSON.stringify(body);
  await tried.attempt(async () => {
    const kept = await change(api.PUT("/layouts", { params: { query: of }, body }));
    said.value = `Saved for ${nameOf(of.company, of.type)}.`;
    if (!isShown(of)) return;
    view.value = kept;
    layout.saved(kept.layout, sent);
  });
}
async function drop() {
  const of = scope.value;
  await tried.attempt(async () => {
    const next = await change(api.DELETE("/layouts", { params: { query: of } }));
    said.value = next.made
      ? `The layout of ${nameOf(next.company, next.type)} shows now.`
      : "The default layout shows now.";
    if (isShown(of)) show(next);
  });
}

function fieldOf(key: string) {
  return entry.value?.kind.fields.find((f) => f.key === key);
}
function sectionLabel(key: string): string {
  return entry.value?.kind.sections.find((s) => s.key === key)?.label ?? key;
}

function focus(position: Position) {
  selected.value = position;
  void nextTick(() =>
    board.value
      ?.querySelector<HTMLElement>(`[data-position="${position.section}:${position.field}"]`)
      ?.focus(),
  );
}
function onKey(event: KeyboardEvent, position: Position) {
  const ways = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down" } as const;
  const way = ways[event.key as keyof typeof ways];
  if (way && event.altKey) {
    event.preventDefault();
    focus(layout.step(position, way));
  } else if (way) {
    event.preventDefault();
    const by = way === "left" || way === "up" ? -1 : 1;
    const all = draft.value.sections.flatMap((s, section) =>
      s.fields.map((_, field) => ({ section, field })),
    );
    const at = all.findIndex((s) => s.section === position.section && s.field === position.field);
    const next = all[at + by];
    if (next) focus(next);
  } else if (event.key === "+" || event.key === "-") {
    event.preventDefault();
    layout.resize(position, event.key === "+" ? 1 : -1);
  } else if (event.key === "Delete" || event.key === "h") {
    layout.change(position, { hidden: !layout.fieldAt(position)?.hidden });
  } else if (event.key === "Enter" || event.key === "F2") {
    event.preventDefault();
    document.getElementById("layout-label")?.focus();
  }
}

const dragged = ref<Position>();
const over = ref<Position>();
function dropOn(position: Position) {
  if (dragged.value) selected.value = layout.move(dragged.value, position);
  dragged.value = undefined;
  over.value = undefined;
}

// The preview is the form itself, on a blank document that nobody saves.
const previewScope = reactive<Scope>({ kind: "", company: "", type: "", day: "" });
const trial = useTrial(
  previewScope,
  () => "saving",
  () => undefined,
  true,
);
watch(
  () => [preview.value, scope.value] as const,
  () => {
    const company = scope.value.company || (catalog.catalog?.companies[0]?.key ?? "");
    const type = scope.value.type || (catalog.typesIn(company, scope.value.kind)[0]?.key ?? "");
    Object.assign(previewScope, { kind: scope.value.kind, company, type, day: catalog.catalog?.today ?? "" });
    trial.put();
    if (preview.value) void trial.tryDocument();
  },
);

const session = useSession();
/** A layout of all companies is arranged by who is in all. */
const mayChange = computed(
  () => session.may("setup.change") && (session.everywhere || scope.value.company !== ""),
);
</script>

<template>
  <div class="page-head">
    <h1 class="sentence">
      Forms of <KindPicker /> in
      <SentencePicker
        :value="scope.company"
        label="Company"
        blank="all companies"
        :options="catalog.companyOptions"
        @change="rescope({ company: $event })"
      />
      for
      <SentencePicker
        :value="scope.type"
        :label="entry?.kind.typeLabel ?? ''"
        blank="every type"
        :options="(entry?.types ?? []).map((t) => ({ value: t.key, label: t.label }))"
        @change="rescope({ type: $event })"
      />
    </h1>
  </div>
  <p class="quiet from">
    <template v-if="own">Made for this company and type.</template>
    <template v-else-if="view?.made"
      >Taken from {{ nameOf(view.company, view.type) }}; saving makes one for this company and type.</template
    >
    <template v-else>The default layout; saving makes one for this company and type.</template>
    <template v-if="view?.others.length">
      Layouts were made for: {{ view.others.map((o) => o.title).join("; ") }}.</template
    >
  </p>
  <ThingHistory
    v-if="view?.made && entry"
    :key="`${view.company}/${view.type}`"
    what="layout"
    :of="`${entry.kind.key}/${view.company}/${view.type}`"
  />
  <TroubleNote v-bind="tried.trouble" />
  <div class="bar">
    <button
      type="button"
      class="button"
      :aria-pressed="!preview"
      :class="{ first: !preview }"
      @click="preview = false"
    >
      Arrange
    </button>
    <button
      type="button"
      class="button"
      :aria-pressed="preview"
      :class="{ first: preview }"
      @click="preview = true"
    >
      Preview
    </button>
    <span v-if="said" class="said" role="status">{{ said }}</span>
    <span class="spring" />
    <button type="button" class="button" :disabled="!layout.past.value.length" @click="layout.undo">
      Undo
    </button>
    <button v-if="own && mayChange" type="button" class="button" :disabled="tried.busy" @click="drop">
      Remove this layout
    </button>
    <button
      v-if="mayChange"
      type="button"
      class="button first"
      :disabled="tried.busy || (!dirty && own)"
      @click="save"
    >
      Save for {{ nameOf(scope.company, scope.type) }}
    </button>
  </div>
  <RecordForm
    v-if="preview && entry"
    :entry="entry"
    :layout="draft"
    :trial="trial"
    :company="previewScope.company"
  />
  <div v-else class="desk">
    <div ref="board" class="board">
      <section
        v-for="(s, si) in draft.sections"
        :key="s.key"
        :class="{ gone: s.hidden }"
        @dragover.prevent
        @drop="dropOn({ section: si, field: s.fields.length })"
      >
        <div class="section-head">
          <input
            class="line"
            :value="s.label || sectionLabel(s.key)"
            :aria-label="`Label of the section ${sectionLabel(s.key)}`"
            @change="layout.changeSection(si, { label: ($event.target as HTMLInputElement).value })"
          />
          <button
            type="button"
            class="plain"
            aria-label="Move the section up"
            @click="layout.moveSection(si, -1)"
          >
            ↑
          </button>
          <button
            type="button"
            class="plain"
            aria-label="Move the section down"
            @click="layout.moveSection(si, 1)"
          >
            ↓
          </button>
          <button type="button" class="plain" @click="layout.changeSection(si, { hidden: !s.hidden })">
            {{ s.hidden ? "Show" : "Hide" }}
          </button>
        </div>
        <div class="grid">
          <div
            v-for="(f, fi) in s.fields"
            :key="f.key"
            class="chip"
            role="button"
            draggable="true"
            :tabindex="0"
            :data-position="`${si}:${fi}`"
            :data-field="f.key"
            :class="{
              selected: selected?.section === si && selected.field === fi,
              gone: f.hidden,
              over: over?.section === si && over.field === fi,
            }"
            :style="{ gridColumn: `span ${f.width}` }"
            :aria-label="`${f.label || fieldOf(f.key)?.label}, ${f.width} of 12 wide${f.hidden ? ', not shown' : ''}`"
            @click="selected = { section: si, field: fi }"
            @focus="selected = { section: si, field: fi }"
            @keydown="onKey($event, { section: si, field: fi })"
            @dragstart="dragged = { section: si, field: fi }"
            @dragover.prevent="over = { section: si, field: fi }"
            @dragleave="over = undefined"
            @drop.stop="dropOn({ section: si, field: fi })"
          >
            {{ f.label || fieldOf(f.key)?.label }}
          </div>
          <p v-if="!s.fields.length" class="quiet none">Empty; not shown.</p>
        </div>
      </section>
    </div>
    <aside aria-label="The field that is chosen">
      <template v-if="selected && chosen">
        <h2>{{ fieldOf(chosen.key)?.label }}</h2>
        <label
          ><span class="field-label">Label here</span>
          <input
            id="layout-label"
            class="line"
            :value="chosen.label ?? ''"
            :placeholder="fieldOf(chosen.key)?.label"
            @change="layout.change(selected, { label: ($event.target as HTMLInputElement).value })"
            @keydown.enter.prevent="(($event.target as HTMLInputElement).blur(), focus(selected))"
          />
        </label>
        <p class="width">
          <span class="field-label">Width</span>
          <button type="button" class="button" aria-label="Narrower" @click="layout.resize(selected, -1)">
            −
          </button>
          {{ chosen.width }} of 12
          <button type="button" class="button" aria-label="Wider" @click="layout.resize(selected, 1)">
            +
          </button>
        </p>
        <label
          ><input
            type="checkbox"
            :checked="!chosen.hidden"
            @change="layout.change(selected, { hidden: !chosen.hidden })"
          />
          shown
        </label>
      </template>
      <p v-else class="quiet">Choose a field to name it, size it or hide it.</p>
      <p class="quiet keys">
        Drag a field to its place, or hold <kbd>Alt</kbd> and use the arrow keys. <kbd>+</kbd>
        <kbd>−</kbd> change the width, <kbd>Del</kbd> hides, <kbd>Enter</kbd> names.
      </p>
    </aside>
  </div>
</template>

<style scoped>
.sentence {
  display: flex;
  align-items: baseline;
  gap: 7px;
  font-weight: 400;
}
.from {
  margin: -6px 0 8px;
}
.bar {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 12px;
}
.spring {
  flex: 1;
}
.said {
  font: 15px/1.3 var(--serif);
  color: var(--good);
  margin-left: 8px;
}
.desk {
  display: flex;
  gap: 18px;
}
.board {
  flex: 1;
  min-width: 0;
}
aside {
  width: 200px;
  flex: none;
}
aside h2 {
  font-size: 14px;
  margin-bottom: 6px;
}
.width {
  margin: 8px 0;
}
.keys {
  margin-top: 18px;
}
.section-head {
  display: flex;
  gap: 6px;
  align-items: center;
  border-bottom: 1px solid var(--rule-strong);
  margin-bottom: 6px;
}
.section-head .line {
  font: 600 15px/1.2 var(--serif);
  border-color: transparent;
  background: none;
  padding: 2px 0;
  width: 220px;
}
.section-head .line:focus {
  border-color: var(--rule-strong);
}
section {
  margin-bottom: 14px;
}
.grid {
  display: grid;
  grid-template-columns: repeat(12, minmax(0, 1fr));
  gap: 4px;
}
.chip {
  border: 1px solid var(--rule-strong);
  background: var(--paper-raised);
  padding: 4px 8px;
  border-radius: 3px;
  cursor: grab;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.chip.selected {
  background: var(--select);
  border-color: var(--focus);
}
.chip.over {
  box-shadow: -3px 0 0 var(--focus);
}
.gone {
  opacity: 0.55;
}
.chip.gone {
  text-decoration: line-through;
  border-style: dashed;
}
.none {
  grid-column: 1 / -1;
  margin: 2px 0;
}
</style>
