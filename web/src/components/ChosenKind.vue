<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { useCatalog } from "@/stores/catalog";

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
  <ElSelect
    class="in-sentence"
    :model-value="catalog.kind?.kind.key"
    aria-label="Kind of record"
    :fit-input-width="false"
    @change="choose"
  >
    <ElOption
      v-for="k in catalog.kinds"
      :key="k.kind.key"
      :value="k.kind.key"
      :label="k.kind.plural.toLowerCase()"
    />
  </ElSelect>
</template>
