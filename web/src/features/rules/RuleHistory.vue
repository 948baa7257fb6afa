<script setup lang="ts">
import { ref, watch } from "vue";
import { api, ask, type Schemas } from "@/api/client";
import { moment } from "@/ui/format";

/** What a rule has been: who changed it when, and why it was put in force all the same. */
const props = defineProps<{ rule: number; version: number }>();
const asked = ref(false);
const versions = ref<Schemas["RuleVersion"][]>([]);
const problem = ref("");

watch(
  () => [asked.value, props.rule, props.version],
  async () => {
    if (!asked.value) return;
    const wanted = props.rule;
    try {
      const found = await ask(api.GET("/rules/{id}/versions", { params: { path: { id: wanted } } }));
      if (wanted === props.rule) versions.value = found;
      problem.value = "";
    } catch (error) {
      problem.value = (error as Error).message;
    }
  },
);

/** What the version said where the one before said something else. */
function said(i: number): string {
  return versions.value[i]!.sentence === versions.value[i + 1]?.sentence ? "" : versions.value[i]!.sentence;
}
</script>

<template>
  <section class="history" aria-label="Versions">
    <button v-if="!asked" type="button" class="plain" @click="asked = true">
      {{ version === 1 ? "Who wrote it" : `What its ${version} versions were` }}
    </button>
    <template v-else>
      <h3>Versions</h3>
      <p v-if="problem" role="alert">{{ problem }}</p>
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
