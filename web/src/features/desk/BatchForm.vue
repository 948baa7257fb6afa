<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import { computed, onMounted, ref, useTemplateRef } from "vue";
import { ofLine } from "@/api/address";
import type { BatchHead } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import SelectBox from "@/ui/SelectBox.vue";

/** What is announced of a batch. */
const props = defineProps<{ kind: string; head: BatchHead; busy: boolean; said: string }>();
const emit = defineEmits<{ save: [head: BatchHead]; cancel: [] }>();
const catalog = useCatalog();
const draft = ref<BatchHead>({ ...props.head, second: [...(props.head.second ?? [])] });
const title = useTemplateRef<HTMLInputElement>("title");
onMounted(() => title.value?.focus());

const fields = computed(() => catalog.entry(props.kind)?.kind.fields ?? []);
const totals = computed(() =>
  fields.value
    .filter((f) => !ofLine(f.key) && ["amount", "number", "quantity"].includes(f.type))
    .map((f) => ({ value: f.key, label: f.label })),
);
const posted = computed(() => !!catalog.entry(props.kind)?.kind.posted);
const again = computed(() => [
  { value: "*", label: "All that is keyed" },
  ...fields.value.map((f) => ({ value: f.key, label: ofLine(f.key) ? `${f.label}, in lines` : f.label })),
]);
const second = computed({
  get: () => draft.value.second ?? [],
  set: (keys: string[]) => (draft.value.second = keys.includes("*") ? ["*"] : keys),
});
function save() {
  emit("save", draft.value);
}
</script>

<template>
  <form aria-label="Batch" class="batch" @submit.prevent="save">
    <label
      ><span class="field-label">Title</span
      ><input ref="title" v-model="draft.title" class="line" required maxlength="120"
    /></label>
    <div class="row">
      <label
        ><span class="field-label">Documents</span
        ><WholeInput
          :model-value="draft.count || undefined"
          :min="0"
          :max="9999"
          @update:model-value="draft.count = $event ?? 0"
      /></label>
      <label
        ><span class="field-label">Their total</span
        ><input v-model="draft.total" class="line" inputmode="decimal"
      /></label>
      <div v-if="totals.length" class="field">
        <span class="field-label">Of the field</span>
        <SelectBox
          :model-value="draft.totalField || totals[0]!.value"
          label="Field that is added up"
          :options="totals"
          @update:model-value="draft.totalField = $event"
        />
      </div>
    </div>
    <div v-if="posted">
      <span class="field-label">Posted</span>
      <SelectBox
        v-model="draft.posting"
        label="Posted"
        :options="[
          { value: 'together', label: 'together, when the batch agrees' },
          { value: 'each', label: 'each at once, as it is saved' },
          { value: 'by hand', label: 'not from the batch' },
        ]"
      />
    </div>
    <div>
      <span class="field-label">Keyed again by a second person</span>
      <SelectBox v-model="second" multiple label="Keyed again" placeholder="nothing" :options="again" />
    </div>
    <p v-if="said" class="refused" role="alert">{{ said }}</p>
    <div class="buttons">
      <button type="submit" class="button first" :disabled="busy">Save</button>
      <button type="button" class="button" @click="emit('cancel')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.batch {
  display: grid;
  gap: 8px;
  max-width: 620px;
}
.row {
  display: flex;
  gap: 12px;
}
.field {
  min-width: 180px;
}
.buttons {
  display: flex;
  gap: 8px;
}
.refused {
  color: var(--refused);
  margin: 0;
}
</style>
