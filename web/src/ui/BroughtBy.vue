<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import { api } from "@/api/client";
import { useAsked } from "@/queries/client";
import { format, moment } from "@/queries/format";
import { useSession } from "@/queries/session";

/** By which codicil a version of a rule came into force. */
const props = defineProps<{ rule: number; version: number; atOnce?: boolean }>();
const session = useSession();
const wanted = ref(props.atOnce);
const may = computed(() => session.may("rules.read"));
const asked = useAsked(
  () =>
    wanted.value && may.value ? ["rule", props.rule, "versions", props.version, { ...format }] : undefined,
  (signal) => api.GET("/rules/{id}/versions", { params: { path: { id: props.rule } }, signal }),
);
const version = computed(() => asked.data?.find((v) => v.version === props.version));
</script>

<template>
  <span v-if="may" class="brought quiet">
    <button v-if="!wanted" type="button" class="plain" @click="wanted = true">Who brought it</button>
    <template v-else-if="version?.codicil"
      >Brought by
      <RouterLink :to="`/codicils/${version.codicil.id}`"
        >codicil {{ version.codicil.id }}, {{ version.codicil.title }}</RouterLink
      >, {{ moment(version.changedAt) }} {{ version.changedBy }}</template
    >
    <template v-else-if="asked.data">It is in no codicil that came into force.</template>
  </span>
</template>

<style scoped>
.brought {
  display: block;
  margin: 2px 0;
}
</style>
