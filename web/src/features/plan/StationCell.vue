<script setup lang="ts">
import { computed } from "vue";
import type { Act, Family, FieldOutcome, Message, PlanRule } from "@/api/client";
import { givesValue } from "@/ui/families";
import SeverityMark from "@/ui/SeverityMark.vue";

const props = defineProps<{
  family: Family;
  label: string;
  rules: PlanRule[];
  outcome?: FieldOutcome;
  messages: Message[];
}>();

const acts = computed<Act[]>(() => (props.outcome?.acts ?? []).filter((a) => a.family === props.family));
const acted = computed(() => acts.value.find((a) => a.did === "acted"));
const failed = computed(() => acts.value.find((a) => a.did === "failed"));
/** What stands in the cell: the rule that acted, else the one that goes first. */
const first = computed(() => props.rules.find((r) => r.id === acted.value?.rule) ?? props.rules[0]);
const resting = computed(() => first.value && (first.value.state !== "in force" || !first.value.sound));
const made = computed(() =>
  acted.value && givesValue(props.family) && (props.family !== "compute" || props.outcome?.made === "compute")
    ? acted.value.after.text || "blank"
    : "",
);
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
  <span v-if="family === 'validate' && worst" class="phrase says" :class="worst.severity" :title="worst.text">
    <SeverityMark :severity="worst.severity" />
    <span class="clip">{{ said }}</span>
    <span v-if="messages.length > 1" class="more">+{{ messages.length - 1 }}</span>
  </span>
  <span v-else-if="failed" class="phrase says refuse" :title="failed.reason">
    <SeverityMark severity="refuse" /><span class="clip">failed: {{ failed.reason }}</span>
  </span>
  <span
    v-else-if="first || acted"
    class="phrase"
    :class="{ lit: !!acted, still: !!outcome && !acted, inherited: first?.inherited, resting }"
    :title="first ? first.sentence + (first.occasions ? ` It runs: ${first.occasions}.` : '') : acted?.phrase"
  >
    <strong v-if="made">{{ made }}</strong>
    <span class="clip"
      ><template v-if="resting">{{ first?.sound ? first.state : "unfinished" }}: </template>{{ phrase }}</span
    >
    <span v-if="first?.occasions" class="more" aria-hidden="true">◔</span>
    <span v-if="rules.length > 1" class="more">+{{ rules.length - 1 }}</span>
  </span>
</template>

<style scoped>
.phrase {
  display: flex;
  align-items: baseline;
  gap: 6px;
  height: 100%;
  overflow: hidden;
  color: var(--hue);
}
.clip {
  overflow: hidden;
  text-overflow: ellipsis;
}
.inherited {
  font-weight: 400;
}
.phrase:not(.inherited, .says, .resting) .clip {
  font-weight: 600;
}
.still .clip {
  color: var(--ink-faint);
}
.lit strong {
  font-weight: 600;
}
.resting .clip {
  font-style: italic;
  color: var(--ink-faint);
  text-decoration: underline dashed var(--rule-strong);
}
.more {
  margin-left: auto;
  font-size: 11px;
  color: var(--ink-soft);
}
.says {
  color: var(--ink);
}
.says.refuse {
  color: var(--refused);
}
</style>
