<script setup lang="ts">
import { ElSelectV2 } from "element-plus";
import { computed } from "vue";
import type { Name } from "@/api/client";

/** Chooses a field by the name that people know, out of groups; there may be hundreds. */
const chosen = defineModel<string>({ required: true });
const props = defineProps<{ names: Name[]; label: string; placeholder: string }>();

const options = computed(() => {
  const groups = new Map<string, { value: string; label: string }[]>();
  for (const n of props.names) {
    const inside = groups.get(n.group) ?? [];
    groups.set(n.group, [...inside, { value: n.name, label: n.label }]);
  }
  return [...groups].map(([label, inside]) => ({ value: `group ${label}`, label, options: inside }));
});
</script>

<template>
  <ElSelectV2
    :model-value="chosen || undefined"
    :options="options"
    :aria-label="label"
    :placeholder="placeholder"
    filterable
    :fit-input-width="false"
    :item-height="28"
    @change="chosen = $event as string"
  />
</template>
