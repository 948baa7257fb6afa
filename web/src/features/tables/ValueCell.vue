<script setup lang="ts">
import { ref } from "vue";
import type { Field } from "@/api/client";
import LateInput from "@/ui/LateInput.vue";
import { read, shown } from "@/queries/values";

/** A value in a table, typed and shown in the person's own format. */
const value = defineModel<string>({ required: true });
const props = defineProps<{ field: Field }>();
/** What is being read stays in sight until it is. */
const typed = ref<string>();

async function take(text: string) {
  typed.value = text;
  value.value = await read(props.field, text.trim());
  typed.value = undefined;
}
</script>

<template>
  <LateInput :value="typed ?? shown(field, value)" @take="take" />
</template>
