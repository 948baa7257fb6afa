<script setup lang="ts">
import { computed, ref } from "vue";
import SelectBox from "@/ui/SelectBox.vue";
import { choices } from "@/ui/choice";
import { ofLine } from "@/api/address";
import { useCatalog } from "@/queries/catalog";
import type { DuplicateBy } from "@/queries/duplicates";

/** By which fields records are compared, under a name. */
const props = defineProps<{ kind: string; busy: boolean }>();
const emit = defineEmits<{ save: [name: string, by: DuplicateBy]; close: [] }>();
const catalog = useCatalog();
const fields = ref<string[]>([]);
const near = ref(true);
const where = ref("company");
const name = ref("");
const options = computed(() =>
  (catalog.entry(props.kind)?.kind.fields ?? [])
    // Those beside a field of the header are of the header too.
    .filter((f) => !fields.value[0] || ofLine(fields.value[0]) || !ofLine(f.key))
    .map((f) => ({ value: f.key, label: catalog.label(f.key, undefined, props.kind) })),
);
const first = computed(() => catalog.entry(props.kind)?.kind.fields.find((f) => f.key === fields.value[0]));
const textual = computed(() => !!first.value && catalog.traits(first.value.type).formula === "string");
const named = computed(
  () => name.value.trim() || fields.value.map((f) => catalog.label(f, undefined, props.kind)).join(" and "),
);
function save() {
  emit("save", named.value, {
    fields: fields.value,
    near: near.value && textual.value,
    everywhere: where.value === "all",
    ignore: ["case", "spaces", "punctuation"],
  });
}
</script>

<template>
  <form class="sentence" @submit.prevent="save">
    Records are the same that have the same
    <SelectBox
      v-model="fields"
      class="fields"
      multiple
      label="Fields to compare"
      placeholder="fields"
      :options="options"
    />
    <SelectBox
      v-model="where"
      class="where"
      label="Where"
      :options="choices({ company: 'within a company', all: 'over all companies' })"
    />
    <label v-if="textual"><input v-model="near" type="checkbox" /> {{ first?.label }} similar, too</label>
    <input v-model="name" class="line" aria-label="Name of the definition" :placeholder="named || 'Name'" />
    <button type="submit" class="button first" :disabled="busy || !fields.length">Save and look</button>
    <button type="button" class="button" @click="emit('close')">Cancel</button>
    <span class="quiet">Capitals, spaces and punctuation do not count.</span>
  </form>
</template>

<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-bottom: 12px;
}
.fields {
  flex: 0 1 300px;
}
.where {
  flex: 0 0 170px;
}
.line {
  flex: 0 1 240px;
}
</style>
