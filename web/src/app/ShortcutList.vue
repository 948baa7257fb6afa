<script setup lang="ts">
import { useCatalog } from "@/queries/catalog";
import OverSheet from "@/ui/OverSheet.vue";

const catalog = useCatalog();

defineEmits<{ close: [] }>();

const keys: [string, string][] = [
  ["↑ ↓ ← →", "move in the plan"],
  [
    "E S D C U V F",
    "on a cell right of Entered: open Entry, Source, Default, Compute, Substitute, Validate, Follow-up",
  ],
  ["H", "there: the history of the rules on the field"],
  ["Enter", "edit the entered value, or open the rule"],
  ["Tab", "take the value and go to the next field"],
  ["Esc", "leave the value as it was; close the rule, which stays as you left it"],
  ["Ctrl Enter", "post the test document or the open document; in a rule: put it in force"],
  ["Ctrl S", "save the open rule or record"],
  ["F8", "in a record: jump to the next stop"],
  ["F7", "in a record: let the cursor go to every field, and back"],
  ["at the desk", "the keys stand at its foot; they can be changed there"],
  ["Space", "in a list of records: choose the row; with Shift all rows from the one chosen last"],
  ["Ctrl Space", "in a formula: what can stand there"],
  ["Alt Enter", "in a formula: take the first correction"],
  ["Enter", "in lines: the next line, or a new one after the last"],
  ["Alt ↑ ↓ ← →", "move a field of a layout; + and − change its width"],
  ["/", "find a field"],
  ["Ctrl K", "go to a field, a rule, a record or a screen"],
  ["?", "this list"],
];
</script>

<template>
  <OverSheet label="Keys" @close="$emit('close')">
    <h2>Keys</h2>
    <dl>
      <template v-for="[key, what] in keys" :key="key">
        <dt>{{ key }}</dt>
        <dd>{{ what }}</dd>
      </template>
    </dl>
    <p v-if="catalog.catalog" class="quiet about">
      Codicil {{ catalog.catalog.program.release }} · data of schema {{ catalog.catalog.program.schema }}
    </p>
  </OverSheet>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 6px 18px;
  margin: 12px 0 0;
}
.about {
  margin: 16px 0 0;
}
dt {
  font: 12px/1.5 var(--mono);
}
dd {
  margin: 0;
  color: var(--ink-soft);
}
</style>
