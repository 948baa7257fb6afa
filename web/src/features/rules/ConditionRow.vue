<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { ElAutocomplete } from "element-plus";
import { vActiveOption } from "@/ui/activeOption";
import { computed, watch } from "vue";
import type { Condition } from "@/api/client";
import { suggesting } from "@/queries/choices";
import NameSelect from "@/features/rules/NameSelect.vue";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";
import { useNames } from "@/queries/names";

const condition = defineModel<Condition>({ required: true });
const props = defineProps<{ kind: string; target: string }>();
const emit = defineEmits<{ written: []; remove: [] }>();
const catalog = useCatalog();
const plan = usePlan();
const words = useNames(() => props);

const names = computed(() => words.names.filter((n) => n.single));
const name = computed(() => names.value.find((n) => n.name === condition.value.field));
const relations = computed(() => words.relations(condition.value.field));
const relation = computed(() => relations.value.find((r) => r.key === condition.value.relation));
const operands = computed(() => Math.abs(relation.value?.operands ?? 0));
const many = computed(() => relation.value?.operands === -1);

/** Fields that this one can be compared with. */
const others = computed(() =>
  names.value.filter((n) => n.type === name.value?.type && n.name !== name.value?.name),
);

const suggest = suggesting(
  () => (name.value ? catalog.field(name.value.field, name.value.kind || undefined) : undefined),
  () => plan.scope.company,
);

// A condition that begins with a field begins with its first relation.
watch(
  relations,
  (known) => {
    if (condition.value.field && !condition.value.relation && known[0])
      condition.value = { ...condition.value, relation: known[0].key };
  },
  { immediate: true },
);

function setField(field: string) {
  const known = words.relations(field);
  const fits = known.some((r) => r.key === condition.value.relation);
  const next = { field, relation: fits ? condition.value.relation : (known[0]?.key ?? ""), values: [] };
  condition.value = next;
  if (known.find((r) => r.key === next.relation)?.operands === 0) emit("written");
}
function setRelation(key: string) {
  const next = { ...condition.value, relation: key };
  if (relations.value.find((r) => r.key === key)?.operands !== 1) delete next.other;
  condition.value = next;
  emit("written");
}
function type(i: number, text: string): string[] {
  const values = many.value ? text.split(",").map((v) => v.trimStart()) : [...condition.value.values];
  if (!many.value) values[i] = text;
  condition.value = { ...condition.value, values };
  return values;
}
function setValue(i: number, text: string) {
  if (type(i, text).filter(Boolean).length >= operands.value) emit("written");
}
/** Compares with a field, "" for one that is still to be chosen; with values when there is none. */
function compareWith(other?: string) {
  condition.value = { field: condition.value.field, relation: condition.value.relation, values: [], other };
  if (other) emit("written");
}
const asField = computed(() => condition.value.other !== undefined);
</script>

<template>
  <div v-active-option class="parts">
    <NameSelect
      class="field"
      :model-value="condition.field"
      :names="names"
      label="Field of the condition"
      placeholder="field"
      @update:model-value="setField"
    />
    <button
      type="button"
      class="plain drop"
      aria-label="Remove the condition"
      title="Remove"
      @click="emit('remove')"
    >
      ×
    </button>
    <div v-if="condition.field" class="second">
      <SelectBox
        v-if="condition.field"
        :model-value="condition.relation"
        class="relation"
        label="Relation"
        :options="relations.map((r) => ({ value: r.key, label: r.phrase }))"
        @change="setRelation"
      />
      <NameSelect
        v-if="asField"
        class="other"
        :model-value="condition.other ?? ''"
        :names="others"
        label="Field to compare with"
        placeholder="another field"
        @update:model-value="compareWith"
      />
      <template v-for="n in operands" v-else :key="n">
        <span v-if="n === 2" class="quiet">and</span>
        <ElAutocomplete
          class="value"
          :model-value="many ? condition.values.join(', ') : (condition.values[n - 1] ?? '')"
          :fetch-suggestions="suggest"
          :debounce="0"
          :aria-label="'Value of the condition'"
          @update:model-value="type(n - 1, String($event))"
          @change="setValue(n - 1, String($event))"
          @select="setValue(n - 1, $event.value as string)"
        >
          <template #default="{ item }"
            >{{ item.value }} <span class="quiet">{{ item.label }}</span></template
          >
        </ElAutocomplete>
      </template>
      <button
        v-if="relation?.operands === 1"
        type="button"
        class="plain swap"
        :title="asField ? 'Compare with a value' : 'Compare with another field'"
        :aria-label="asField ? 'Compare with a value' : 'Compare with another field'"
        @click="compareWith(asField ? undefined : '')"
      >
        ⇄
      </button>
    </div>
  </div>
</template>

<style scoped>
/* Two short lines: what is compared, then how and with what. */
.parts {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 20px;
  gap: 4px;
  flex: 1;
  align-items: center;
  min-width: 0;
}
.second {
  grid-column: 1 / 3;
  display: flex;
  gap: 4px;
  align-items: center;
}
.relation {
  width: 112px;
  flex: none;
}
.value,
.other {
  flex: 1;
  min-width: 0;
}
.swap {
  width: 20px;
  font-size: 14px;
  text-decoration: none;
  border: 0;
}
.drop {
  font-size: 16px;
  justify-self: center;
}
</style>
