<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, ref, watch } from "vue";
import type { Name, Schemas } from "@/api/client";
import NameSelect from "@/features/rules/NameSelect.vue";
import { useCrosswalks } from "@/queries/tables";

/** A value that a crosswalk gives for fields of the document. */
const props = defineProps<{ lookUp?: Schemas["LookUp"]; names: Name[]; label: string }>();
const emit = defineEmits<{ write: [formula: string] }>();
const crosswalks = useCrosswalks();

const chosen = ref<Schemas["LookUp"]>({ crosswalk: "", keys: [], column: "" });
watch(
  () => JSON.stringify(props.lookUp),
  () => {
    if (props.lookUp) chosen.value = { ...props.lookUp, keys: [...props.lookUp.keys] };
  },
  { immediate: true },
);
const table = computed(() => crosswalks.data?.find((c) => c.key === chosen.value.crosswalk));
const single = computed(() => props.names.filter((n) => n.single));

function choose(key = "") {
  const found = crosswalks.data?.find((c) => c.key === key);
  // A field of the same name is nearly always the one that is meant.
  const keys = (found?.keys ?? []).map(
    (k) => single.value.find((n) => n.name === k.key || n.label === k.label)?.name ?? "",
  );
  chosen.value = { crosswalk: key, keys, column: found?.results[0]?.key ?? "" };
  write();
}
function write() {
  const { crosswalk, keys, column } = chosen.value;
  if (!table.value || keys.some((k) => !k)) return;
  const last = column && column !== table.value.results[0]?.key ? [JSON.stringify(column)] : [];
  emit("write", `crosswalk(${[JSON.stringify(crosswalk), ...keys, ...last].join(", ")})`);
}
</script>

<template>
  <div class="lookup">
    <SelectBox
      :model-value="chosen.crosswalk"
      placeholder="a crosswalk"
      label="Crosswalk"
      :options="(crosswalks.data ?? []).map((c) => ({ value: c.key, label: c.label }))"
      @update:model-value="choose"
    />
    <template v-if="table">
      <SelectBox
        v-if="table.results.length > 1"
        v-model="chosen.column"
        label="Column of the crosswalk"
        :options="table.results.map((r) => ({ value: r.key, label: r.label }))"
        @change="write"
      />
      <div v-for="(k, i) in table.keys" :key="k.key" class="key">
        <span class="word">{{ i === 0 ? "for" : "and" }} {{ k.label }}</span>
        <NameSelect
          :model-value="chosen.keys[i] ?? ''"
          :names="single"
          :label="`Field for ${k.label}`"
          placeholder="a field"
          @update:model-value="((chosen.keys[i] = $event), write())"
        />
      </div>
    </template>
    <p v-if="crosswalks.data && !crosswalks.data.length" class="quiet">
      There is no crosswalk yet; make one under Tables first.
    </p>
  </div>
</template>

<style scoped>
.lookup {
  display: grid;
  gap: 5px;
  width: 100%;
}
.key {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
}
.word {
  font: italic 14px/28px var(--serif);
}
.quiet {
  margin: 0;
}
</style>
