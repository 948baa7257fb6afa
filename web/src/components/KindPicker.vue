<script setup lang="ts">
import { ElOption, ElSelect } from "element-plus";
import { useRoute, useRouter } from "vue-router";
import { useCatalog } from "@/stores/catalog";

/** The kind of record that a table is about; it stands in the address. */
const emit = defineEmits<{ change: [kind: string] }>();
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();

function choose(kind: string) {
  emit("change", kind);
  void router.replace({ path: route.path, query: { kind } });
}
</script>

<template>
  <ElSelect
    class="in-sentence"
    :model-value="String(route.query.kind ?? '') || catalog.kinds[0]?.kind.key"
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
