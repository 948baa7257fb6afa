<script setup lang="ts">
import { ElAutocomplete, ElOption, ElSelect } from "element-plus";
import { computed, ref, watch } from "vue";
import { api, ask, type Field } from "@/api/client";
import { suggesting } from "@/choices";
import NameSelect from "@/components/NameSelect.vue";
import { usePlan } from "@/stores/plan";
import { useWords } from "@/stores/words";

const props = defineProps<{
  kind: string;
  field: Field;
  formula: string;
  /** The formula as a value that people write, where it is one. */
  constant?: string;
  isConstant: boolean;
  /** The name of the field whose value it is, where it is that of a field. */
  fieldValue?: string;
  word: string;
}>();
const emit = defineEmits<{ write: [formula: string] }>();
const words = useWords();
const plan = usePlan();
const text = ref("");
const problem = ref("");
/** The formula that was written here, which comes back. */
let written: string | undefined;
const manner = ref<"constant" | "field">("constant");

/** Fields whose value can be that of this one. */
const names = computed(
  () =>
    words
      .names(props.kind, props.field.key)
      ?.names.filter((n) => n.fits && n.name.replace(/^line\./, "lines.") !== props.field.key) ?? [],
);
const fits = computed(
  () => props.isConstant || !!props.fieldValue || props.formula === "" || props.formula === written,
);

watch(
  () => [props.constant, props.fieldValue, props.formula] as const,
  ([constant, fieldValue, formula]) => {
    if (formula === written) return;
    text.value = constant ?? "";
    if (formula) manner.value = fieldValue ? "field" : "constant";
    problem.value = "";
  },
  { immediate: true },
);

function put(formula: string) {
  written = formula;
  problem.value = "";
  emit("write", formula);
}

async function write(value: string) {
  text.value = value;
  problem.value = "";
  if (!value.trim()) return put("");
  try {
    const body = { kind: props.kind, field: props.field.key, text: value };
    put((await ask(api.POST("/constants", { body }))).formula);
  } catch (error) {
    problem.value = (error as Error).message;
  }
}

function setManner(next: "constant" | "field") {
  manner.value = next;
  text.value = "";
  put("");
}

const suggest = suggesting(
  () => props.field,
  () => plan.scope.company,
);
</script>

<template>
  <div class="value">
    <span class="word">{{ word }}</span>
    <template v-if="fits">
      <ElSelect class="manner" :model-value="manner" aria-label="Kind of value" @change="setManner">
        <ElOption value="constant" label="the value" />
        <ElOption value="field" label="the value of" />
      </ElSelect>
      <NameSelect
        v-if="manner === 'field'"
        class="chosen"
        :model-value="fieldValue ?? formula"
        :names="names"
        :label="`Field whose value ${field.label} gets`"
        placeholder="a field"
        @update:model-value="put"
      />
      <ElAutocomplete
        v-else
        v-model="text"
        class="chosen"
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
    </template>
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
.manner {
  width: 116px;
}
.chosen {
  flex: 1;
  min-width: 140px;
}
.problem {
  color: var(--refused);
  font-size: 12px;
  margin: 0;
  width: 100%;
}
</style>
