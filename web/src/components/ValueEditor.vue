<script setup lang="ts">
import { ElAutocomplete } from "element-plus";
import { computed, ref, watch } from "vue";
import { api, ask, type Field } from "@/api/client";
import { suggesting } from "@/choices";
import { usePlan } from "@/stores/plan";
import { useCatalog } from "@/stores/catalog";

const props = defineProps<{
  field: Field;
  formula: string;
  constant?: string;
  isConstant: boolean;
  word: string;
}>();
const emit = defineEmits<{ write: [formula: string] }>();
const catalog = useCatalog();
const text = ref("");
const problem = ref("");
let written: string | undefined;

const fits = computed(() => props.isConstant || props.formula === "" || props.formula === written);
const another = computed(() => catalog.kind?.kind.fields.find((f) => f.key === props.formula.trim()));

watch(
  () => [props.constant, props.formula] as const,
  ([constant, formula]) => {
    if (formula === written) return;
    text.value = constant ?? "";
    problem.value = "";
  },
  { immediate: true },
);

async function write(value: string) {
  text.value = value;
  problem.value = "";
  if (!value.trim()) {
    written = "";
    return emit("write", "");
  }
  try {
    const body = { kind: catalog.kind?.kind.key ?? "", field: props.field.key, text: value };
    written = (await ask(api.POST("/constants", { body }))).formula;
    emit("write", written);
  } catch (error) {
    problem.value = (error as Error).message;
  }
}

const plan = usePlan();
const suggest = suggesting(
  () => props.field,
  () => plan.scope.company,
);
</script>

<template>
  <div class="value">
    <span class="word">{{ word }}</span>
    <ElAutocomplete
      v-if="fits"
      v-model="text"
      :fetch-suggestions="suggest"
      :debounce="0"
      :aria-label="`Value for ${field.label}`"
      placeholder="a value"
      @change="write(String($event))"
      @select="write($event.value as string)"
    >
      <template #default="{ item }"
        >{{ item.value }} <span class="quiet">{{ item.label }}</span></template
      >
    </ElAutocomplete>
    <span v-else-if="another">the value of {{ another.label }}</span>
    <code v-else>{{ formula }}</code>
    <p v-if="problem" class="problem">{{ problem }}</p>
  </div>
</template>

<style scoped>
.value {
  display: flex;
  gap: 8px;
  align-items: baseline;
  flex-wrap: wrap;
}
.word {
  font: italic 14px/28px var(--serif);
}
.problem {
  color: var(--refused);
  font-size: 12px;
  margin: 0;
  width: 100%;
}
</style>
