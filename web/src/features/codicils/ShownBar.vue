<script setup lang="ts">
import { RouterLink } from "vue-router";
import { useShown } from "@/queries/codicils";
import { dayInWords } from "@/queries/format";

/** Says, above every screen, that it is not the rules in force that are shown, and leads back to them. */
const shown = useShown();
</script>

<template>
  <p v-if="shown.rules" class="shown" role="status">
    <template v-if="shown.problem">{{ shown.problem }}</template>
    <template v-else-if="shown.codicil">
      With
      <RouterLink :to="`/codicils/${shown.codicil}`"
        >codicil {{ shown.codicil }}, {{ shown.title }}</RouterLink
      ><template v-if="shown.takesChanges"
        >. What you change goes into it; records are saved by the rules in force.</template
      ><template v-else>, as it was.</template>
    </template>
    <template v-else>
      As it was on {{ dayInWords(shown.day) }}. Nothing can be changed here; fields, layouts and maps are kept
      from the release on that has codicils.
    </template>
    <button type="button" class="plain" @click="shown.show('')">Back to the rules in force</button>
  </p>
</template>

<style scoped>
.shown {
  margin: 0;
  padding: 4px 20px;
  flex: none;
  background: var(--select);
  border-bottom: 1px solid var(--rule-strong);
}
.shown button {
  margin-left: 10px;
}
</style>
