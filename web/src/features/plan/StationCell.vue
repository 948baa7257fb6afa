<script setup lang="ts">
import { computed, inject } from "vue";
import type { Act, Family, FieldOutcome, Message, PlanRule } from "@/api/client";
import { givesValue } from "@/ui/families";
import type { Room } from "@/features/plan/planColumns";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import FoundMark from "@/ui/FoundMark.vue";
import SeverityMark from "@/ui/SeverityMark.vue";
import { foundMarks } from "@/queries/findings";

const props = defineProps<{
  family: Family;
  label: string;
  rules: PlanRule[];
  outcome?: FieldOutcome;
  messages: Message[];
  /** How far the text may run. */
  room: Room;
}>();

const marks = inject(foundMarks, undefined);
/** What is found about the rules here. */
const found = computed(() => props.rules.flatMap((r) => marks?.value.get(r.id) ?? []));

const acts = computed<Act[]>(() => (props.outcome?.acts ?? []).filter((a) => a.family === props.family));
const acted = computed(() => acts.value.find((a) => a.did === "acted"));
const failed = computed(() => acts.value.find((a) => a.did === "failed"));
/** What stands in the cell: the rule that acted, else the one that goes first. */
const first = computed(() => props.rules.find((r) => r.id === acted.value?.rule) ?? props.rules[0]);
const resting = computed(() => first.value && (first.value.state !== "in force" || !first.value.sound));
const made = computed(() =>
  acted.value && givesValue(props.family) && (props.family !== "compute" || props.outcome?.made === "compute")
    ? settled.value
    : "",
);
/** What the station made, rounded as the field is where nothing came after it. */
const settled = computed(
  () =>
    (props.outcome?.made === props.family ? props.outcome.final.text : acted.value?.after.text) || "blank",
);
const stretch = computed(() => ({
  maxWidth: `${props.room.width - 16}px`,
  marginLeft: props.room.before ? `${-props.room.before}px` : undefined,
}));
const worst = computed(
  () =>
    props.messages.find((m) => m.severity === "refuse") ??
    props.messages.find((m) => m.severity === "confirm") ??
    props.messages[0],
);
/** The message without the field's name, which heads the row. */
const said = computed(() => {
  const text = worst.value?.text ?? "";
  return text.startsWith(`${props.label} `) ? text.slice(props.label.length + 1) : text;
});
/** The phrase without the value that stands before it. */
const phrase = computed(() => {
  // A rule that is being written does not stand in the plan yet, but acts.
  const text = first.value?.phrase ?? acted.value?.phrase ?? "";
  return made.value && text.startsWith(made.value) ? text.slice(made.value.length) : text;
});
</script>

<template>
  <span v-if="family === 'validate' && worst" class="phrase says" :class="worst.severity" :style="stretch">
    <SeverityMark :severity="worst.severity" />
    {{ said }}
    <span v-if="messages.length > 1" class="more">+{{ messages.length - 1 }}</span>
  </span>
  <span v-else-if="failed" class="phrase says refuse" :style="stretch">
    <SeverityMark severity="refuse" /> failed: {{ failed.reason }}
  </span>
  <span
    v-else-if="first || acted"
    class="phrase"
    :class="{ lit: !!acted, still: !!outcome && !acted, inherited: first?.inherited, resting }"
    :style="stretch"
    :title="first ? first.sentence : acted?.phrase"
  >
    <FamilyGlyph v-if="room.before" :family="family" class="glyph" />
    <strong v-if="made">{{ made }}</strong>
    <span class="words"
      ><template v-if="resting">{{ first?.sound ? first.state : "unfinished" }}: </template>{{ phrase }}</span
    >
    <span v-if="first?.occasions" class="more" :title="first.occasions">◔</span>
    <span v-if="rules.length > 1" class="more">+{{ rules.length - 1 }}</span>
    <span
      v-if="found.length"
      class="more found"
      role="img"
      :aria-label="`Finding: ${found.join('. ')}`"
      :title="found.join('\n')"
      ><FoundMark
    /></span>
  </span>
</template>

<style scoped>
/* It runs over what is empty beside it, and into further lines. */
.phrase {
  display: block;
  position: relative;
  z-index: 1;
  width: max-content;
  background: var(--ground);
  color: var(--hue);
}
.phrase.lit {
  background: var(--wash);
  box-shadow: -8px 0 0 var(--wash);
}
.phrase:not(.inherited, .says, .resting) .words {
  font-weight: 600;
}
.still .words {
  color: var(--ink-faint);
}
.lit strong {
  font-weight: 600;
  margin-right: 5px;
}
.resting .words {
  font-style: italic;
  color: var(--ink-faint);
  text-decoration: underline dashed var(--rule-strong);
}
.glyph {
  margin-right: 5px;
  vertical-align: -2px;
}
.more {
  font-size: 11px;
  margin-left: 3px;
  color: var(--ink-soft);
}
.says {
  color: var(--ink);
}
.says.refuse {
  color: var(--refused);
}
.says :deep(.mark) {
  display: inline-block;
}
</style>
