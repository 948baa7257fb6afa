<script setup lang="ts">
import { computed } from "vue";
import { RouterLink } from "vue-router";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

/** What to do where a company uses no type of a kind yet. */
const props = defineProps<{ kind: string; company: string }>();
const catalog = useCatalog();
const entry = computed(() => catalog.entry(props.kind));
</script>

<template>
  <p class="empty padded">
    No {{ inSentence(entry?.kind.typeLabel) }} is used in {{ catalog.companyName(company) }} yet.
    <RouterLink :to="`/tables/types?kind=${kind}`">Add one</RouterLink>, and
    {{ inSentence(entry?.kind.plural) }} can be kept there.
  </p>
</template>

<style scoped>
.padded {
  padding: 24px 20px;
}
</style>
