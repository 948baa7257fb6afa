<script setup lang="ts">
import { computed, ref } from "vue";
import FindingItem from "@/features/rules/FindingItem.vue";
import FoundMark from "@/ui/FoundMark.vue";
import { useFindings } from "@/queries/findings";
import { usePlan } from "@/queries/plan";

/** What is found about the rules of this plan: in one line, until somebody asks for more. */
const plan = usePlan();
const found = useFindings(() => plan.scope.kind || undefined);
const rules = computed(
  () =>
    new Set(
      (plan.plan?.fields ?? []).flatMap((f) => Object.values(f.stations).flatMap((s) => s.map((r) => r.id))),
    ),
);
const here = computed(() =>
  (found.data ?? []).filter(
    (f) => !f.silenced && f.rules.length && f.rules.every((r) => rules.value.has(r.id)),
  ),
);
const open = ref(false);
</script>

<template>
  <section v-if="here.length" class="findings" aria-label="Findings">
    <button type="button" class="plain" :aria-expanded="open" @click="open = !open">
      <FoundMark /> {{ here.length === 1 ? here[0]!.message : `${here.length} findings about these rules` }}
    </button>
    <div v-if="open" class="list">
      <FindingItem v-for="f in here" :key="f.key" :finding="f" />
    </div>
  </section>
</template>

<style scoped>
.findings {
  flex: none;
  padding: 3px 16px;
  background: var(--default-wash);
}
.plain {
  text-decoration: none;
  text-align: left;
}
.plain:hover {
  text-decoration: underline;
}
.list {
  max-height: 260px;
  overflow: auto;
  padding: 0 4px;
}
</style>
