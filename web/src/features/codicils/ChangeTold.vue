<script setup lang="ts">
import { computed } from "vue";
import { RouterLink } from "vue-router";
import type { CodicilChange } from "@/api/client";
import VersionDiff from "@/features/rules/VersionDiff.vue";
import WordDiff from "@/ui/WordDiff.vue";

/** What a change makes of a thing: what it said, what it says, and the words that differ. */
const props = defineProps<{ change: CodicilChange }>();
const isRule = computed(() => props.change.what === "rule" && !!props.change.ruleAfter);
/** A line that became another one, where there is one of each; else what went and what came. */
const one = computed(() => props.change.before.length === 1 && props.change.after.length === 1);
</script>

<template>
  <div class="told">
    <VersionDiff v-if="isRule" :before="change.ruleBefore" :after="change.ruleAfter!" />
    <p
      v-if="isRule && change.ruleBefore && change.ruleBefore.state !== change.ruleAfter!.state"
      class="quiet"
    >
      It was {{ change.ruleBefore.state }}, and is {{ change.ruleAfter!.state }} then.
    </p>
    <p v-else-if="one && !isRule"><WordDiff :before="change.before[0]!" :after="change.after[0]!" /></p>
    <ul v-else-if="!isRule">
      <li v-for="(line, i) in change.before" :key="`-${i}`">
        <del>{{ line }}</del>
      </li>
      <li v-for="(line, i) in change.after" :key="`+${i}`">
        <ins>{{ line }}</ins>
      </li>
    </ul>
    <p v-if="change.others.length" class="others" role="status">
      Also changed in
      <template v-for="(o, i) in change.others" :key="o.id"
        ><template v-if="i">, </template
        ><RouterLink :to="`/codicils/${o.id}`">codicil {{ o.id }}, {{ o.title }}</RouterLink></template
      >, which is {{ change.others.length === 1 ? change.others[0]!.state : "being prepared" }}.
    </p>
  </div>
</template>

<style scoped>
p,
ul {
  margin: 2px 0;
  padding: 0;
}
li {
  list-style: none;
}
del {
  color: var(--refused);
}
ins {
  color: var(--good);
  text-decoration: none;
}
.others {
  color: var(--refused);
}
</style>
