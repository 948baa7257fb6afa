<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import { useCatalog } from "@/queries/catalog";
import { shownInWords, useShown } from "@/queries/codicils";
import { usePlan } from "@/queries/plan";
import type { Beside } from "@/features/plan/comparison";

/** Chooses the company and type whose plan stands beside this one, and by which rules. */
const chosen = defineModel<Beside>();
const emit = defineEmits<{ copy: [] }>();
const catalog = useCatalog();
const plan = usePlan();
const shown = useShown();

const company = computed(() => chosen.value?.company ?? plan.scope.company);
const types = computed(() => catalog.typesIn(company.value));
function set(next: Partial<Beside>) {
  const to = {
    company: company.value,
    type: chosen.value?.type ?? plan.scope.type,
    rules: chosen.value?.rules ?? shown.rules,
    ...next,
  };
  if (!catalog.typesIn(to.company).some((t) => t.key === to.type))
    to.type = catalog.typesIn(to.company)[0]?.key ?? "";
  chosen.value = to;
}
const itself = computed(
  () =>
    chosen.value?.company === plan.scope.company &&
    chosen.value.type === plan.scope.type &&
    chosen.value.rules === shown.rules,
);
</script>

<template>
  <div class="compare" role="group" aria-label="Compare with another scope">
    <em>beside</em>
    <SelectBox
      label="Type to compare with"
      :model-value="chosen?.type"
      :options="types.map((t) => ({ value: t.key, label: t.label }))"
      @change="set({ type: $event })"
    />
    <em>in</em>
    <SelectBox
      label="Company to compare with"
      :model-value="company"
      :options="catalog.companyOptions"
      @change="set({ company: $event })"
    />
    <SelectBox
      v-if="shown.rules"
      label="Rules to compare with"
      :model-value="chosen?.rules"
      :options="[shown.rules, ''].map((rules) => ({ value: rules, label: shownInWords(rules) }))"
      @change="set({ rules: $event })"
    />
    <span v-if="itself" class="quiet">This is the plan you are on; choose another company or type.</span>
    <slot v-else />
    <span class="spring" />
    <button
      v-if="chosen?.rules === shown.rules"
      type="button"
      class="button"
      :disabled="itself"
      @click="emit('copy')"
    >
      Copy its rules here …
    </button>
    <button type="button" class="plain" @click="chosen = undefined">Close</button>
  </div>
</template>

<style scoped>
.compare {
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 5px 20px;
  border-bottom: 1px solid var(--rule);
  background: var(--paper-sunk);
}
em {
  font: italic 14px/1 var(--serif);
}
.el-select {
  width: 190px;
}
.spring {
  flex: 1;
}
</style>
