<script setup lang="ts">
import { computed, useTemplateRef, watchEffect } from "vue";
import { keyOf } from "@/api/address";
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import type { RowsEditing } from "@/features/tables/rowsEditor";
import FileButton from "@/ui/FileButton.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/**
 * The page of one crosswalk or choice list. The slots are its table (default), what stands beside the title
 * (about), between head and table (tools), and what follows the form (after).
 */
const props = defineProps<{
  editor: RowsEditing;
  /** Where one goes back to, and the name of the form. */
  title: string;
  form: string;
  /** What the button says that adds a row. */
  add: string;
  what: "crosswalk" | "list";
  /** How many rows could be drawn, and how many are. */
  found: number;
  /** The rows whose history can be asked for. */
  history: { label: string; keys: string[] }[];
}>();
const editor = computed(() => props.editor);
const grid = useTemplateRef<HTMLElement>("grid");
watchEffect(() => (editor.value.grid = grid.value ?? undefined));
const name = computed(() => editor.value.draft?.label ?? "");

/** The key follows the name until somebody writes one. */
function rename(label: string) {
  const thing = editor.value.draft!;
  if (editor.value.adding && (!thing.key || thing.key === keyOf(thing.label))) thing.key = keyOf(label);
  thing.label = label;
}
</script>

<template>
  <div class="page-head">
    <h1>
      <button type="button" class="plain" @click="editor.close()">{{ title }}</button> {{ name }}
    </h1>
    <span v-if="$slots.about" class="quiet"><slot name="about" /></span>
    <span class="spring" />
    <a
      v-if="!editor.adding"
      class="button"
      :href="`/api/v1/tables/${what}s/${editor.draft?.key}/export`"
      :download="`${editor.draft?.key}.csv`"
      >Save as CSV</a
    >
    <FileButton
      v-if="editor.mayChange"
      label="Load a CSV file"
      accept=".csv,.txt,.tsv,text/csv"
      @chosen="editor.readFile($event)"
    />
  </div>
  <TroubleNote v-bind="editor.trouble" />
  <form v-if="editor.draft" :aria-label="form" @submit.prevent="editor.save()">
    <div class="top">
      <label
        ><span class="field-label">Name</span
        ><input
          class="line"
          :value="editor.draft.label"
          required
          @input="rename(($event.target as HTMLInputElement).value)"
      /></label>
      <label
        ><span class="field-label">Key</span
        ><input v-model.trim="editor.draft.key" class="line mono" :disabled="!editor.adding" required
      /></label>
      <label class="wide"
        ><span class="field-label">Purpose</span><input v-model="editor.draft.note" class="line"
      /></label>
    </div>
    <slot name="columns" />
    <p v-for="(p, i) in editor.wrongThing" :key="i" class="notice">{{ p.message }}</p>
    <slot name="tools" />
    <div ref="grid" class="rows" @keydown="editor.onKey($event)" @paste="editor.paste($event)">
      <slot />
      <p v-if="editor.most < found" class="more">
        {{ editor.most }} of {{ found }} rows are shown.
        <button type="button" class="plain" @click="editor.most = found">Show all</button>
      </p>
      <p v-if="editor.rows.length && !found" class="quiet">No row has these words.</p>
    </div>
    <p v-if="editor.wrongRows.length" class="notice">
      To correct: {{ editor.wrongRows.length === 1 ? "row" : "rows" }}
      {{ editor.wrongRows.slice(0, 12).join(", ")
      }}{{ editor.wrongRows.length > 12 ? ` and ${editor.wrongRows.length - 12} more` : "" }}.
    </p>
    <div v-if="editor.mayChange" class="buttons">
      <button type="button" class="button" @click="editor.add()">{{ add }}</button>
      <button type="submit" class="button first" :disabled="editor.busy || !editor.dirty">Save</button>
      <button v-if="editor.undo" type="button" class="button" @click="editor.discard()">
        Discard the loaded rows
      </button>
      <button
        v-if="!editor.adding"
        type="button"
        class="button"
        :disabled="editor.busy"
        @click="editor.remove()"
      >
        Delete
      </button>
      <span v-if="editor.done" class="quiet" role="status">{{ editor.done }}</span>
      <span v-else class="quiet">Rows copied from a spreadsheet can be pasted into any cell.</span>
    </div>
    <ThingHistory v-if="!editor.adding" :what="what" :of="editor.draft.key" :rows="history" />
  </form>
  <slot name="after" />
</template>

<style scoped>
.top {
  display: grid;
  grid-template-columns: 220px 160px 1fr;
  gap: 10px;
  max-width: 860px;
  margin-bottom: 8px;
}
.rows {
  max-height: 52vh;
  overflow: auto;
  border-top: 1px solid var(--rule);
}
.rows :deep(td) {
  padding: 2px 6px 2px 0;
}
.notice {
  color: var(--default);
}
.buttons {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 10px 0;
}
a.button {
  text-decoration: none;
}
</style>
