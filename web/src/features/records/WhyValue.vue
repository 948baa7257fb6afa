<script setup lang="ts">
import { computed } from "vue";
import { RouterLink } from "vue-router";
import type { Act, Family, FieldOutcome } from "@/api/client";
import ActTold from "@/ui/ActTold.vue";
import BroughtBy from "@/ui/BroughtBy.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import { did, families, givesValue } from "@/ui/families";

/** Why the field that somebody stands on has its value, from what is typed now. */
const props = defineProps<{
  label: string;
  outcome: FieldOutcome;
  readonly?: boolean;
  /** What rules did when the value was saved, where it is the saved one. */
  saved?: FieldOutcome;
}>();

const makers: readonly string[] = ["source", "default", "compute", "substitute"];
/** The rules that changed the value, in the order of their stations. */
const actsOf = (outcome: FieldOutcome | undefined): Act[] =>
  outcome?.acts.filter((a) => givesValue(a.family as Family) && a.did === "acted") ?? [];
const now = computed(() => actsOf(props.outcome));
const then = computed(() => (now.value.length ? [] : actsOf(props.saved)));
const made = computed(() => [...now.value, ...then.value]);
const last = computed(() =>
  made.value.find((a) => a.family === (then.value.length ? props.saved : props.outcome)?.made),
);
const failed = computed(() => props.outcome.acts.filter((a) => a.did === "failed"));
/** Rules that stand here and did not change the value. */
const others = computed(() =>
  props.outcome.acts.filter((a) => makers.includes(a.family) && a.did !== "acted" && a.did !== "failed"),
);

/** The rule that gave the saved value, where that is all that is known. */
const giver = computed(() => {
  const found = made.value.length ? null : /^rule (\d+) v(\d+)/.exec(props.outcome.origin ?? "");
  return found && { rule: Number(found[1]), version: Number(found[2]) };
});
/** Who gave a value that no rule changed just now. */
const given = computed(() => {
  const o = props.outcome;
  if (!o.final.text)
    return o.misfit ? "What was typed does not fit" : "Blank: nobody entered a value and no rule gave one";
  if (o.made === "entered")
    return o.origin?.startsWith("carried") ? "Carried over from the record before" : "Typed here";
  const origin = o.origin ?? "";
  const rule = /^rule (\d+)/.exec(origin);
  if (rule) return `Saved; rule ${rule[1]} gave it`;
  if (origin.startsWith("person")) return "Saved; a person entered it";
  if (origin.startsWith("carried")) return "Saved; carried over from the record before";
  if (origin.startsWith("load")) return "Saved; it came from a load";
  return "Saved";
});
</script>

<template>
  <section class="why" aria-label="Why this value">
    <h2>Why this value</h2>
    <p class="of">
      {{ label }} <b>{{ outcome.final.text || "blank" }}</b>
    </p>
    <p v-if="!last || then.length" class="quiet">{{ then.length ? "When it was saved:" : given }}</p>
    <BroughtBy v-if="giver" :key="giver.rule" v-bind="giver" at-once />
    <div v-for="a in made" :key="a.rule" class="made" :class="`family-${a.family}`">
      <p>
        <FamilyGlyph :family="a.family as Family" /> {{ families[a.family as Family].label }}, by
        <RouterLink :to="`/plan?rule=${a.rule}`">rule {{ a.rule }}</RouterLink
        >: {{ a.phrase }}
      </p>
      <p v-if="a.before.text !== a.after.text" class="quiet">
        {{ a.before.text || "blank" }} → {{ a.after.text || "blank" }}
      </p>
      <BroughtBy :rule="a.rule" :version="a.version" at-once />
      <ActTold v-if="a === last" :act="a" part="facts" />
    </div>
    <p v-for="a in failed" :key="a.rule" class="failed">
      <RouterLink :to="`/plan?rule=${a.rule}`">Rule {{ a.rule }}</RouterLink> failed: {{ a.reason }}
    </p>
    <details v-if="others.length">
      <summary>
        {{ others.length }} {{ others.length === 1 ? "other rule" : "other rules" }} did nothing
      </summary>
      <ul>
        <li v-for="a in others" :key="a.rule">
          <RouterLink :to="`/plan?rule=${a.rule}`">rule {{ a.rule }}</RouterLink> {{ a.phrase }}
          <span class="quiet">{{ did[a.did] }}</span>
        </li>
      </ul>
    </details>
  </section>
</template>

<style scoped>
.why {
  border-bottom: 1px solid var(--rule);
  padding-bottom: 8px;
  margin-bottom: 10px;
}
h2 {
  font-size: 14px;
  margin: 0 0 2px;
}
p {
  margin: 2px 0;
}
.of {
  font: 15px/1.35 var(--serif);
}
.made {
  margin: 4px 0;
}
.failed {
  color: var(--refused);
}
ul {
  margin: 2px 0;
  padding-left: 16px;
}
</style>
