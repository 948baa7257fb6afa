<script setup lang="ts">
import { computed, ref } from "vue";
import type { Field } from "@/api/client";
import LateInput from "@/ui/LateInput.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { useCatalog } from "@/queries/catalog";
import { read, shown } from "@/queries/values";

/** A value in a table, typed and shown in the person's own format; a code of a list is chosen. */
defineOptions({ inheritAttrs: false });
const value = defineModel<string>({ required: true });
const props = defineProps<{ field: Field; label: string; placeholder?: string }>();
const catalog = useCatalog();
/** What is being read stays in sight until it is. */
const typed = ref<string>();

const options = computed(() =>
  props.field.list
    ? catalog.catalog?.lists
        .find((l) => l.key === props.field.list)
        ?.options.map((o) => ({ value: o.code, label: `${o.code} ${o.label}` }))
    : undefined,
);

async function take(text: string) {
  typed.value = text;
  value.value = await read(props.field, text.trim());
  typed.value = undefined;
}
</script>

<template>
  <SelectBox
    v-if="options"
    v-model="value"
    :label="label"
    :options="options"
    :placeholder="placeholder"
    clearable
  />
  <LateInput
    v-else
    v-bind="$attrs"
    :value="typed ?? shown(field, value)"
    :aria-label="label"
    :placeholder="placeholder"
    @take="take"
  />
</template>
