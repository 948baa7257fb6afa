<script setup lang="ts">
import { api, type Family } from "@/api/client";
import { useAsked } from "@/queries/client";
import { format, moment } from "@/queries/format";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { stateWords } from "@/ui/families";

/** What the rules on one field have been, newest first: also of those that are retired. */
const props = defineProps<{ kind: string; field: string; label: string }>();
const emit = defineEmits<{ close: [] }>();
const asked = useAsked(
  () => ["rules", "history", props.kind, props.field, { ...format }],
  (signal) =>
    api.GET("/rules/history", { params: { query: { kind: props.kind, field: props.field } }, signal }),
);
</script>

<template>
  <section class="history" :aria-label="`History of the rules on ${label}`" @keydown.esc.stop="emit('close')">
    <header>
      <h3>Rules on {{ label }}, newest change first</h3>
      <button type="button" class="plain" @click="emit('close')">Close</button>
    </header>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <p v-if="asked.data && !asked.data.length" class="quiet">No rule has ever been written for this field.</p>
    <ol>
      <li v-for="h in asked.data ?? []" :key="`${h.rule}/${h.version}`" :class="`family-${h.body.family}`">
        <span class="when quiet">{{ moment(h.changedAt) }}</span>
        <span class="who quiet">{{ h.changedBy }}</span>
        <FamilyGlyph :family="h.body.family as Family" />
        <RouterLink :to="`/plan?rule=${h.rule}`">Rule {{ h.rule }}</RouterLink>
        <em>{{ stateWords[h.state] }}</em>
        <span>{{ h.sentence }}</span>
        <span v-if="h.body.note.why" class="quiet">{{ h.body.note.why }}</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.history {
  padding: 6px 16px 8px;
  background: var(--paper-raised);
  border-bottom: 1px solid var(--rule-strong);
  contain: inline-size;
}
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
ol {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  max-height: 220px;
  overflow: auto;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  align-items: baseline;
  padding: 3px 0;
  border-top: 1px solid var(--rule);
}
.when {
  min-width: 130px;
}
</style>
