<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import { api, type Schemas } from "@/api/client";
import { useAsked } from "@/queries/client";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import VersionDiff from "@/features/rules/VersionDiff.vue";
import { format, moment } from "@/queries/format";
import { stateWords } from "@/ui/families";

/**
 * What a rule has been: who changed it when and why, which words differ from the version before; any two compared, and
 * any brought back into the editor.
 */
const props = defineProps<{ rule: number; version: number; mayChange?: boolean }>();
const emit = defineEmits<{ restore: [version: Schemas["RuleVersion"]] }>();
const open = ref(false);
const asked = useAsked(
  () => (open.value ? ["rule", props.rule, "versions", props.version, { ...format }] : undefined),
  (signal) => api.GET("/rules/{id}/versions", { params: { path: { id: props.rule } }, signal }),
);
const versions = computed(() => asked.data ?? []);
const comparing = ref(false);
const one = ref(0);
const other = ref(0);
watch(versions, (all) => {
  one.value = all.at(-1)?.version ?? 0;
  other.value = all[0]?.version ?? 0;
});
const numbers = computed(() =>
  versions.value.map((v) => ({ value: String(v.version), label: String(v.version) })),
);
const numbered = (n: number) => versions.value.find((v) => v.version === n);
</script>

<template>
  <section class="history" aria-label="Versions">
    <button v-if="!open" type="button" class="plain" @click="open = true">
      {{ version === 1 ? "Who wrote it" : `What its ${version} versions were` }}
    </button>
    <template v-else>
      <h3>Versions</h3>
      <TroubleNote :problem="asked.problem" :retry="asked.reload" />
      <button v-if="versions.length > 1 && !comparing" type="button" class="plain" @click="comparing = true">
        Compare any two
      </button>
      <div v-if="comparing" class="compare" aria-label="Two versions compared">
        <p>
          From version
          <SentencePicker
            :value="String(one)"
            label="From version"
            :options="numbers"
            @change="one = Number($event)"
          />
          to version
          <SentencePicker
            :value="String(other)"
            label="To version"
            :options="numbers"
            @change="other = Number($event)"
          />
          <button type="button" class="plain" @click="comparing = false">Close</button>
        </p>
        <VersionDiff v-if="numbered(other)" :before="numbered(one)" :after="numbered(other)!" asked />
      </div>
      <div v-for="(v, i) in versions" :key="v.version" class="version">
        <p>
          <b>{{ v.version }}, {{ stateWords[v.state] }}</b>
          <span class="quiet">{{ moment(v.changedAt) }} {{ v.changedBy }}</span>
          <button
            v-if="mayChange && v.version !== version"
            type="button"
            class="plain restore"
            :title="`Puts version ${v.version} into the editor; nothing is saved yet`"
            @click="emit('restore', v)"
          >
            Back to this
          </button>
        </p>
        <VersionDiff :before="versions[i + 1]" :after="v" />
        <p v-if="v.codicil" class="quiet">
          by
          <RouterLink :to="`/codicils/${v.codicil.id}`"
            >codicil {{ v.codicil.id }}, {{ v.codicil.title }}</RouterLink
          >
        </p>
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
.version,
.compare {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
.compare {
  padding: 6px 0 8px;
}
/* Within a line of the pane a choice is as large as its line. */
.compare :deep(.in-sentence) {
  min-width: 46px;
  width: 46px;
}
.compare :deep(.in-sentence .el-select__placeholder) {
  font: 600 13px/1.4 var(--sans);
}
.restore {
  float: right;
}
</style>
