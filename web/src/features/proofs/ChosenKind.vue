<script setup lang="ts">
import { watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import SentencePicker from "@/ui/SentencePicker.vue";
import { useCatalog } from "@/queries/catalog";

/** The kind of record that the screen is about; the same as the plan's, and in the address. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();

watch(
  () => route.query.kind,
  (kind) => {
    if (typeof kind === "string" && catalog.entry(kind)) catalog.chosen = kind;
  },
  { immediate: true },
);

function choose(kind: string) {
  catalog.chosen = kind;
  void router.replace({ path: route.path, query: { kind } });
}
</script>

<template>
  <SentencePicker
    :value="catalog.kind?.kind.key ?? ''"
    label="Kind of record"
    :options="catalog.kindOptions(true)"
    @change="choose"
  />
</template>
