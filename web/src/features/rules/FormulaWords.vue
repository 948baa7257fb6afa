<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, nextTick, onMounted, ref, useId, useTemplateRef, watch } from "vue";
import type { FunctionHelp, Name } from "@/api/client";
import { wordOfFunction, wordOfName, type Word } from "@/features/rules/formula/words";

const props = defineProps<{ names: Name[]; functions: FunctionHelp[] }>();
const emit = defineEmits<{ insert: [word: Word]; close: [] }>();
const query = ref("");
const id = useId();

interface Entry {
  word: Word;
  title: string;
  text: string;
  group: string;
  help?: FunctionHelp;
  name?: Name;
}

const all = computed<Entry[]>(() => [
  ...props.names.map((n) => ({
    word: wordOfName(n),
    title: n.name,
    text: n.label,
    group: n.group,
    name: n,
  })),
  ...props.functions.map((f) => ({
    word: wordOfFunction(f),
    title: f.name,
    text: f.help,
    group: f.chapter,
    help: f,
  })),
]);
/** What people look for by other words: the document before is also the last one. */
function otherWords(e: Entry): string {
  if (e.title.startsWith("previous")) return "last document previous document";
  return e.title.includes(".lines.") ? "line list price list row" : "";
}
const groups = computed(() => [...new Set(all.value.map((e) => e.group))]);
const group = ref("");
const found = computed(() => {
  const wanted = query.value.trim().toLowerCase();
  return all.value.filter(
    (e) =>
      (!group.value || e.group === group.value) &&
      `${e.title} ${e.text} ${otherWords(e)}`.toLowerCase().includes(wanted),
  );
});
const chosen = ref(0);
watch(found, () => (chosen.value = 0));
const entry = computed(() => found.value[chosen.value]);

const list = useTemplateRef<HTMLElement>("list");
function move(by: number) {
  if (!found.value.length) return;
  chosen.value = Math.min(Math.max(chosen.value + by, 0), found.value.length - 1);
  void nextTick(() =>
    list.value?.querySelector("[aria-selected=true]")?.scrollIntoView({ block: "nearest" }),
  );
}

const search = useTemplateRef<HTMLInputElement>("search");
onMounted(() => {
  search.value?.focus();
  search.value?.closest("section")?.scrollIntoView({ block: "nearest" });
});

function onKey(event: KeyboardEvent) {
  const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8 }[event.key];
  if (step) move(step);
  else if (event.key === "Enter" && entry.value) emit("insert", entry.value.word);
  else if (event.key === "Escape") emit("close");
  else return;
  event.preventDefault();
  event.stopPropagation();
}
</script>

<template>
  <section class="words" aria-label="Fields and functions" @keydown="onKey">
    <div class="find">
      <input
        ref="search"
        v-model="query"
        class="line"
        type="search"
        placeholder="Find a field or function"
        aria-label="Find a field or function"
        role="combobox"
        aria-expanded="true"
        :aria-controls="`${id}-list`"
        :aria-activedescendant="`${id}-${chosen}`"
      />
      <SelectBox
        v-model="group"
        label="Group"
        :options="[{ value: '', label: 'all' }, ...groups.map((g) => ({ value: g, label: g }))]"
      />
    </div>
    <ul :id="`${id}-list`" ref="list" role="listbox" aria-label="Found">
      <template v-for="(e, i) in found" :key="`${e.group}/${e.title}`">
        <li v-if="e.group !== found[i - 1]?.group" class="group" role="presentation">{{ e.group }}</li>
        <li
          :id="`${id}-${i}`"
          role="option"
          :aria-selected="i === chosen"
          @click="chosen = i"
          @dblclick="emit('insert', e.word)"
        >
          <code>{{ e.title }}</code> <span>{{ e.text }}</span>
        </li>
      </template>
      <li v-if="!found.length" class="quiet">No results.</li>
    </ul>
    <div v-if="entry" class="about" aria-live="polite">
      <template v-if="entry.help">
        <code>{{ entry.help.signature }}</code>
        <p>
          {{ entry.help.help }} <span v-if="entry.help.ours" class="quiet">An addition to the standard.</span>
        </p>
        <code class="example">{{ entry.help.example }}</code>
      </template>
      <template v-else-if="entry.name">
        <code>{{ entry.name.name }}</code>
        <p>{{ entry.name.label }}: a {{ entry.name.type }}</p>
      </template>
      <button type="button" class="plain" @click="emit('insert', entry.word)">Insert</button>
      <span class="quiet">or Enter, or double click</span>
    </div>
  </section>
</template>

<style scoped>
.words {
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--paper-raised);
  margin-top: 4px;
  font-size: 12px;
  min-width: 0;
  overflow: hidden;
  scroll-margin-bottom: 70px; /* above what stands fixed at the end of the pane */
}
.find {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 130px;
  gap: 6px;
  padding: 6px;
  border-bottom: 1px solid var(--rule);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  height: 190px;
  overflow-y: auto;
}
li {
  padding: 2px 8px;
  display: flex;
  gap: 8px;
  cursor: default;
}
li code {
  white-space: nowrap;
}
li span {
  color: var(--ink-soft);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li[aria-selected="true"] {
  background: var(--select);
}
.group {
  font: italic 12px/1.6 var(--serif);
  color: var(--ink-soft);
  border-top: 1px solid var(--rule);
}
.about {
  border-top: 1px solid var(--rule);
  padding: 6px 8px;
}
.about p {
  margin: 2px 0;
}
.about code {
  overflow-wrap: anywhere;
}
.example {
  display: block;
  color: var(--source);
}
</style>
