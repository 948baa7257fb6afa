<script setup lang="ts">
import { computed } from "vue";
import { RouterLink } from "vue-router";
import { api } from "@/api/client";
import { used } from "@/features/rules/used";
import { useAsked } from "@/queries/client";

/** Whether a saved rule still does something, so that one knows whether it may go. */
const props = defineProps<{ rule: number; version: number }>();
const asked = useAsked(
  () => ["rule", props.rule, "use", props.version],
  (signal) => api.GET("/rules/{id}", { params: { path: { id: props.rule } }, signal }),
);
/** Where the values that it gives in existing records are derived again. */
const again = computed(() => {
  const body = asked.data?.body;
  const gives = ["source", "default", "compute", "substitute"].includes(body?.family ?? "");
  if (!body || !gives || asked.data?.state !== "in force") return undefined;
  return { path: `/derive/${body.kind}`, query: { fields: body.target } };
});
</script>

<template>
  <p v-if="asked.data" class="quiet used">
    {{ used(asked.data) }}
    <RouterLink v-if="again" :to="again">Derive its values in existing records again</RouterLink>
  </p>
</template>

<style scoped>
a {
  display: inline-block;
}
</style>
