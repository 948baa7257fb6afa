<script setup lang="ts">
import { computed } from "vue";
import type { Schemas } from "@/api/client";
import WordDiff from "@/ui/WordDiff.vue";

/** What one version of a rule says and another says otherwise: its sentence, its formulas, and its note. */
const props = defineProps<{
  before?: Schemas["RuleVersion"];
  after: Schemas["RuleVersion"];
  /** Says so where they say the same. */
  asked?: boolean;
}>();
/** The texts of a version by what people call them. */
function texts(v?: Schemas["RuleVersion"]): Record<string, string> {
  const { body } = v ?? {};
  return {
    Name: v?.name ?? "",
    When: body?.when ?? "",
    Value: body?.effect.value ?? "",
    "Must hold": body?.effect.must ?? "",
    Message: body?.effect.message ?? "",
    Priority: body ? String(body.priority) : "",
    "Asked by": body?.note.askedBy ?? "",
    Why: body?.note.why ?? "",
    Tags: (body?.note.tags ?? []).join(", "),
  };
}
const same = computed(() => props.before?.sentence === props.after.sentence);
const formulas = new Set(["When", "Value", "Must hold"]);
const changes = computed(() => {
  const was = texts(props.before);
  return (
    Object.entries(texts(props.after))
      .map(([label, text]) => ({ label, before: was[label]!, after: text, mono: formulas.has(label) }))
      // A rule that has no name of its own is called after what it says.
      .filter((c) => props.before && c.before !== c.after && (c.label !== "Name" || same.value))
  );
});
</script>

<template>
  <p v-if="!before">{{ after.sentence }}</p>
  <p v-else-if="before.sentence !== after.sentence">
    <WordDiff :before="before.sentence" :after="after.sentence" />
  </p>
  <dl v-if="changes.length">
    <template v-for="c in changes" :key="c.label">
      <dt>{{ c.label }}</dt>
      <dd><WordDiff :before="c.before" :after="c.after" :mono="c.mono" /></dd>
    </template>
  </dl>
  <p v-else-if="asked && same" class="quiet">They say the same.</p>
</template>

<style scoped>
p {
  margin: 0;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 2px 10px;
  margin: 4px 0 0;
  font-size: 12px;
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0;
}
</style>
