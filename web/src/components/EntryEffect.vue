<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { computed } from "vue";
import type { Field, RuleBody } from "@/api/client";
import { sectionPrefix } from "@/families";
import { useCatalog } from "@/stores/catalog";

/** How a field, or every field of its section, is met. */
const body = defineModel<RuleBody>({ required: true });
const props = defineProps<{ field: Field }>();
const catalog = useCatalog();

const section = computed(() =>
  catalog.entry(body.value.kind)?.kind.sections.find((s) => s.key === props.field.section),
);
const closed = computed(() => ["read-only", "hidden"].includes(body.value.effect.manner ?? ""));
const manners = ["required", "optional", "read-only", "hidden"] as const;

function setManner(manner: (typeof manners)[number]) {
  body.value.effect.manner = manner;
  if (!closed.value) return;
  body.value.effect.cursor = undefined;
  body.value.effect.twice = undefined;
}
</script>

<template>
  <div class="entry">
    <div class="deed">
      <ElSelect v-model="body.target" aria-label="What the rule is on" :fit-input-width="false">
        <ElOption :value="field.key" :label="field.label" />
        <ElOption
          v-if="section"
          :value="sectionPrefix + section.key"
          :label="`every field of ${section.label}`"
        />
      </ElSelect>
      <span class="word">is</span>
      <ElSelect
        :model-value="body.effect.manner"
        aria-label="How the field is met"
        placeholder="choose"
        @update:model-value="setManner"
      >
        <ElOption v-for="m in manners" :key="m" :value="m" :label="m" />
      </ElSelect>
    </div>
    <fieldset v-if="!closed" class="choice">
      <legend class="field-label">The cursor</legend>
      <label
        ><input v-model="body.effect.cursor" type="radio" :value="undefined" /> goes there in its turn</label
      >
      <label
        ><input v-model="body.effect.cursor" type="radio" value="passed over" /> passes it over; a click still
        reaches it</label
      >
      <label
        ><input v-model="body.effect.cursor" type="radio" value="stop" /> stops there: F8 jumps to it</label
      >
    </fieldset>
    <label v-if="!closed && body.effect.cursor !== 'passed over'"
      ><input v-model="body.effect.twice" type="checkbox" /> a person keys a new value twice</label
    >
    <p v-if="body.effect.manner === 'hidden'" class="quiet">What is stored in it stays.</p>
  </div>
</template>

<style scoped>
.entry {
  display: grid;
  gap: 8px;
}
.deed {
  display: grid;
  grid-template-columns: 1.3fr auto 1fr;
  gap: 6px;
  align-items: center;
}
.word {
  font: italic 14px/28px var(--serif);
}
.quiet {
  margin: 0;
}
</style>
