<script setup lang="ts">
import { computed } from "vue";
import { useRoute, useRouter } from "vue-router";
import SentencePicker from "@/ui/SentencePicker.vue";
import { useCatalog } from "@/queries/catalog";

/** The kind of record that a table is about; it stands in the address. */
const emit = defineEmits<{ change: [kind: string] }>();
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const chosen = computed(() => String(route.query.kind ?? "") || (catalog.kinds[0]?.kind.key ?? ""));

function choose(kind: string) {
  emit("change", kind);
  void router.replace({ path: route.path, query: { kind } });
}
</script>

<template>
  <SentencePicker
    :value="chosen"
    label="Kind of record"
    :options="catalog.kindOptions(true)"
    @change="choose"
  />
</template>
