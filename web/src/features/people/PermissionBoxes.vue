<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { useCatalog } from "@/queries/catalog";
import type { Schemas } from "@/api/client";

/** What somebody, or a program, may do, and for which kinds of record. */
const props = defineProps<{ permissions: Schemas["PermissionTold"][]; held: string[]; kinds: string[] }>();
const emit = defineEmits<{ held: [keys: string[]]; kinds: [keys: string[]] }>();
const catalog = useCatalog();
function turn(key: string, on: boolean) {
  emit("held", on ? [...props.held, key] : props.held.filter((k) => k !== key));
}
</script>

<template>
  <fieldset>
    <legend class="field-label">May</legend>
    <label v-for="p in permissions" :key="p.key">
      <input
        type="checkbox"
        :checked="held.includes(p.key)"
        @change="turn(p.key, ($event.target as HTMLInputElement).checked)"
      />
      {{ p.title }}
    </label>
  </fieldset>
  <div v-if="permissions.some((p) => p.byKind && held.includes(p.key))" class="kinds">
    <span class="field-label">Records of these kinds</span>
    <SelectBox
      :model-value="kinds"
      multiple
      within
      label="Records of these kinds"
      placeholder="all kinds"
      :options="catalog.kindOptions()"
      @update:model-value="emit('kinds', $event as string[])"
    />
  </div>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  columns: 2;
  column-gap: 24px;
  min-width: 480px;
}
fieldset label {
  display: block;
  padding: 2px 0;
  break-inside: avoid;
}
.kinds {
  flex: 0 1 320px;
}
</style>
