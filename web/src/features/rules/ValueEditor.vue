<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { ElAutocomplete } from "element-plus";
import { vActiveOption } from "@/ui/activeOption";
import { computed, ref, watch } from "vue";
import { api, ask, type Field, type Name, type Schemas } from "@/api/client";
import { suggesting } from "@/queries/choices";
import CasesEditor from "@/features/rules/CasesEditor.vue";
import FormulaTold from "@/features/rules/FormulaTold.vue";
import LookUpEditor from "@/features/rules/LookUpEditor.vue";
import LineOfEditor from "@/features/rules/LineOfEditor.vue";
import NameSelect from "@/features/rules/NameSelect.vue";
import { writing } from "@/features/rules/writing";
import { format } from "@/queries/format";
import { usePlan } from "@/queries/plan";

const props = defineProps<{
  kind: string;
  /** What the rule is on. */
  target: string;
  field: Field;
  /** The names that the rule may use. */
  names: Name[];
  formula: string;
  /** The formula as a value that people write, where it is one. */
  constant?: string;
  isConstant: boolean;
  /** The name of the field whose value it is, where it is that of a field. */
  fieldValue?: string;
  /** The formula as what a crosswalk gives, where it is that. */
  lookUp?: Schemas["LookUp"];
  /** The formula as a value of a line of a linked record, where it is that. */
  lineOf?: Schemas["LineOf"];
  word: string;
}>();
const emit = defineEmits<{ write: [formula: string]; formula: [] }>();
const plan = usePlan();
const text = ref("");
const problem = ref("");
/** The formula that was written here, which comes back. */
let written: string | undefined;
const manner = ref<Manner>("constant");
type Manner = "constant" | "field" | "crosswalk" | "line" | "cases";

/** Fields whose value can be that of this one. */
const fitting = computed(() =>
  props.names.filter((n) => n.fits && n.name.replace(/^line\./, "lines.") !== props.field.key),
);
/** A chain of choices is edited as a grid. */
const isChain = computed(() => /^\s*if\b/.test(props.formula));
const fits = computed(
  () =>
    manner.value === "cases" ||
    isChain.value ||
    props.isConstant ||
    !!props.fieldValue ||
    !!props.lookUp ||
    !!props.lineOf ||
    props.formula === "" ||
    props.formula === written,
);

watch(
  () => [props.constant, props.fieldValue, props.lookUp, props.lineOf, props.formula] as const,
  ([constant, fieldValue, lookUp, lineOf, formula]) => {
    if (formula === written) return;
    text.value = constant ?? "";
    manner.value = lookUp
      ? "crosswalk"
      : lineOf
        ? "line"
        : fieldValue
          ? "field"
          : isChain.value
            ? "cases"
            : "constant";
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
    const body = { kind: props.kind, target: props.target, text: value, format };
    put((await writing(ask(api.POST("/constants", { body })))).formula);
  } catch (error) {
    problem.value = (error as Error).message;
  }
}

function setManner(next: Manner) {
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
  <div v-active-option class="value" data-begin>
    <span class="word">{{ word }}</span>
    <template v-if="fits">
      <SelectBox
        class="manner"
        :model-value="manner"
        label="Kind of value"
        :options="[
          { value: 'constant', label: 'the value' },
          { value: 'field', label: 'the value of' },
          { value: 'crosswalk', label: 'by crosswalk' },
          { value: 'line', label: 'from a list' },
          { value: 'cases', label: 'by cases' },
        ]"
        @change="setManner"
      />
      <NameSelect
        v-if="manner === 'field'"
        class="chosen"
        :model-value="fieldValue ?? formula"
        :names="fitting"
        :label="`Field whose value ${field.label} gets`"
        placeholder="a field"
        @update:model-value="put"
      />
      <CasesEditor
        v-else-if="manner === 'cases'"
        :kind="kind"
        :target="target"
        :names="names"
        :label="field.label"
        :formula="formula"
        @write="put"
      />
      <LookUpEditor
        v-else-if="manner === 'crosswalk'"
        :look-up="lookUp"
        :names="names"
        :label="field.label"
        @write="put"
      />
      <LineOfEditor
        v-else-if="manner === 'line'"
        :line-of="lineOf"
        :names="names"
        :field="field"
        :label="field.label"
        @write="put"
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
    <FormulaTold v-else :kind="kind" :target="target" :formula="formula" @edit="emit('formula')" />
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
