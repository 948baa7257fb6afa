<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import { families } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";

/** What posting a document of the plan writes to the records that it names. */
const catalog = useCatalog();
const plan = usePlan();

const links = computed(() => (catalog.kind?.kind.fields ?? []).filter((f) => f.kind));
const rules = computed(() =>
  (plan.plan?.fields ?? []).flatMap((f) =>
    (f.stations["follow-up"] ?? []).map((rule) => ({ field: f.key, rule })),
  ),
);
const writes = computed(() => plan.outcome?.followUps ?? []);
function writesOf(rule: number) {
  return writes.value.filter((w) => w.rule === rule);
}
function open(field: string) {
  plan.selected = { field, family: "follow-up" };
}
</script>

<template>
  <section class="after family-follow-up" aria-label="After posting">
    <h2>
      <FamilyGlyph family="follow-up" /> After posting
      <SelectBox
        label="Write a rule for after posting"
        model-value=""
        :options="[
          { value: '', label: 'write to …' },
          ...links.map((f) => ({ value: f.key, label: f.label })),
        ]"
        @change="open($event)"
      />
    </h2>
    <p v-if="!rules.length" class="quiet">Nothing {{ families["follow-up"].does }} here.</p>
    <button
      v-for="{ field, rule } in rules"
      :key="rule.id"
      type="button"
      class="rule"
      data-station="follow-up"
      :class="{
        resting: rule.state !== 'in force' || !rule.sound,
        selected: plan.selected?.family === 'follow-up' && plan.selected.field === field,
      }"
      :title="rule.sentence"
      @click="open(field)"
    >
      <span class="phrase">{{ rule.phrase }}</span>
      <span v-for="(w, i) in writesOf(rule.id)" :key="i" class="write">
        {{ w.number }} {{ w.title }}: {{ w.before.text || "blank" }} →
        <strong>{{ w.after.text || "blank" }}</strong>
      </span>
      <span v-if="plan.outcome && !writesOf(rule.id).length" class="quiet">writes nothing</span>
    </button>
  </section>
</template>

<style scoped>
.after {
  border-bottom: 1px solid var(--rule);
}
h2 {
  display: flex;
  align-items: center;
  gap: 6px;
  font: 600 13px/25px var(--serif);
  padding: 0 16px;
  background: var(--paper-sunk);
}
.el-select {
  width: 150px;
  font: 12px/1.4 var(--sans);
  margin-left: 8px;
}
.quiet {
  margin: 0;
}
p.quiet {
  padding: 3px 16px;
}
.rule {
  display: flex;
  gap: 16px;
  width: 100%;
  font: inherit;
  line-height: 24px;
  text-align: left;
  color: var(--ink);
  background: none;
  border: 0;
  border-top: 1px solid var(--rule);
  padding: 0 16px;
  cursor: pointer;
  overflow: hidden;
  white-space: nowrap;
}
.rule:focus-visible {
  outline-offset: -2px;
}
.phrase {
  color: var(--hue);
  overflow: hidden;
  text-overflow: ellipsis;
}
.write strong {
  font-weight: 600;
}
.resting .phrase {
  font-style: italic;
  color: var(--ink-faint);
}
.selected {
  box-shadow: inset 0 0 0 2px var(--hue);
}
</style>
