<script setup lang="ts">
import { computed, ref } from "vue";
import { api } from "@/api/client";
import { useAsked } from "@/queries/client";
import TroubleNote from "@/ui/TroubleNote.vue";
import { format, moment } from "@/queries/format";

/** What a rule has been: who changed it when, and why it was put in force all the same. */
const props = defineProps<{ rule: number; version: number }>();
const open = ref(false);
const asked = useAsked(
  () => (open.value ? ["rule", props.rule, "versions", props.version, { ...format }] : undefined),
  (signal) => api.GET("/rules/{id}/versions", { params: { path: { id: props.rule } }, signal }),
);
const versions = computed(() => asked.data ?? []);

/** What the version said where the one before said something else. */
function said(i: number): string {
  return versions.value[i]!.sentence === versions.value[i + 1]?.sentence ? "" : versions.value[i]!.sentence;
}
</script>

<template>
  <section class="history" aria-label="Versions">
    <button v-if="!open" type="button" class="plain" @click="open = true">
      {{ version === 1 ? "Who wrote it" : `What its ${version} versions were` }}
    </button>
    <template v-else>
      <h3>Versions</h3>
      <TroubleNote :problem="asked.problem" :retry="asked.reload" />
      <div v-for="(v, i) in versions" :key="v.version" class="version">
        <p>
          <b>{{ v.version }}, {{ v.state }}</b>
          <span class="quiet">{{ moment(v.changedAt) }} {{ v.changedBy }}</span>
        </p>
        <p v-if="said(i)">{{ said(i) }}</p>
        <p v-if="v.reason" class="quiet">“{{ v.reason }}”</p>
      </div>
    </template>
  </section>
</template>

<style scoped>
.history {
  margin: 8px 0;
}
h3 {
  margin: 10px 0 4px;
}
p {
  margin: 0;
}
.version b {
  margin-right: 6px;
}
.version {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
</style>
