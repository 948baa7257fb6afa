<script setup lang="ts">
import { api } from "@/api/client";
import { used } from "@/features/rules/used";
import { useAsked } from "@/queries/client";

/** Whether a saved rule still does something, so that one knows whether it may go. */
const props = defineProps<{ rule: number; version: number }>();
const asked = useAsked(
  () => ["rule", props.rule, "use", props.version],
  (signal) => api.GET("/rules/{id}", { params: { path: { id: props.rule } }, signal }),
);
</script>

<template>
  <p v-if="asked.data" class="quiet used">{{ used(asked.data) }}</p>
</template>
