<script setup lang="ts">
import { computed } from "vue";
import { RouterLink, useRoute } from "vue-router";
import MergeSides from "@/features/merging/MergeSides.vue";
import { numbersOf } from "@/features/records/listing";
import { useCatalog } from "@/queries/catalog";
import { count, inSentence } from "@/queries/format";

/** Records that somebody chose from a list, to be merged into one. */
const catalog = useCatalog();
const route = useRoute();
const kind = computed(() => String(route.params.kind));
const entry = computed(() => catalog.entry(kind.value));
const numbers = computed(() => numbersOf(route.query));
const most = 20;
</script>

<template>
  <div v-if="entry" class="page">
    <div class="page-head">
      <h1>Merge {{ count(numbers.length) }} {{ inSentence(entry.kind.plural) }}</h1>
      <span class="spring" />
      <RouterLink class="button" :to="`/duplicates/${kind}`">Duplicates</RouterLink>
      <RouterLink class="button" :to="`/records/${kind}`">Back to the list</RouterLink>
    </div>
    <p v-if="numbers.length < 2" class="empty">
      Choose two or more <RouterLink :to="`/records/${kind}`">in the list</RouterLink> that are the same.
    </p>
    <p v-else-if="numbers.length > most" class="empty">
      {{ count(numbers.length) }} are chosen; at most {{ most }} are merged into one at once.
      <RouterLink :to="`/records/${kind}`">Choose fewer</RouterLink>.
    </p>
    <MergeSides v-else :kind="kind" :numbers="numbers" />
  </div>
</template>
