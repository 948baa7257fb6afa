<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import type { Field, RuleBody } from "@/api/client";
import { sectionPrefix } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";

/** How a field, or every field of its section, is met. */
const body = defineModel<RuleBody>({ required: true });
const props = defineProps<{ field: Field }>();
const catalog = useCatalog();

const section = computed(() =>
  catalog.entry(body.value.kind)?.kind.sections.find((s) => s.key === props.field.section),
);
const closed = computed(() => ["read-only", "hidden"].includes(body.value.effect.access ?? ""));

type Effect = RuleBody["effect"];
/** The four aspects of entry; what a rule does not say of one set by other rules. */
const needs: { value: Effect["need"]; label: string }[] = [
  { value: undefined, label: "set by other rules" },
  { value: "required", label: "required" },
  { value: "optional", label: "optional" },
];
const accesses: { value: Effect["access"]; label: string }[] = [
  { value: undefined, label: "set by other rules" },
  { value: "open", label: "open" },
  { value: "read-only", label: "read-only" },
  { value: "hidden", label: "hidden" },
];
const cursors: { value: Effect["cursor"]; label: string }[] = [
  { value: undefined, label: "set by other rules" },
  { value: "in turn", label: "normal order" },
  { value: "passed over", label: "skips it; a click still reaches it" },
  { value: "stop", label: "stops here: F8 jumps to it" },
];
const keyings: { value: Effect["keying"]; label: string }[] = [
  { value: undefined, label: "set by other rules" },
  { value: "once", label: "keyed once" },
  { value: "twice", label: "keyed twice" },
  { value: "not lower", label: "not lower than before" },
];

/** Nobody types into a closed field, so the rule says nothing of how it is typed. */
function setAccess(access: Effect["access"]) {
  body.value.effect.access = access;
  if (!closed.value) return;
  body.value.effect.cursor = undefined;
  body.value.effect.keying = undefined;
  if (body.value.effect.need === "required") body.value.effect.need = undefined;
}
/** A select that means nothing by a blank value. */
function said<T extends string>(text: string): T | undefined {
  return (text || undefined) as T | undefined;
}
</script>

<template>
  <div class="entry">
    <div class="deed">
      <SelectBox
        v-model="body.target"
        label="Field or section"
        :options="[
          { value: field.key, label: field.label },
          ...(section
            ? [{ value: sectionPrefix + section.key, label: `every field of ${section.label}` }]
            : []),
        ]"
      />
      <span class="word">is</span>
      <SelectBox
        data-begin
        :model-value="body.effect.need ?? ''"
        label="Required or optional"
        placeholder="set by other rules"
        :disabled="closed"
        :options="needs.map((n) => ({ value: n.value ?? '', label: n.label }))"
        @update:model-value="body.effect.need = said($event)"
      />
    </div>
    <div class="deed two">
      <span class="word">access is</span>
      <SelectBox
        :model-value="body.effect.access ?? ''"
        label="Access"
        placeholder="set by other rules"
        :options="accesses.map((a) => ({ value: a.value ?? '', label: a.label }))"
        @update:model-value="setAccess(said($event))"
      />
    </div>
    <template v-if="!closed">
      <div class="deed two">
        <span class="word">cursor</span>
        <SelectBox
          :model-value="body.effect.cursor ?? ''"
          label="Cursor"
          placeholder="set by other rules"
          :options="cursors.map((c) => ({ value: c.value ?? '', label: c.label }))"
          @update:model-value="body.effect.cursor = said($event)"
        />
      </div>
      <div v-if="body.effect.cursor !== 'passed over'" class="deed two">
        <span class="word">new values are</span>
        <SelectBox
          :model-value="body.effect.keying ?? ''"
          label="Keying"
          placeholder="set by other rules"
          :options="keyings.map((k) => ({ value: k.value ?? '', label: k.label }))"
          @update:model-value="body.effect.keying = said($event)"
        />
      </div>
    </template>
    <p v-if="body.effect.access === 'hidden'" class="quiet">
      Its saved value stays, and it does not have to be filled.
    </p>
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
.two {
  grid-template-columns: auto 1fr;
}
.word {
  font: italic 14px/28px var(--serif);
}
.quiet {
  margin: 0;
}
</style>
