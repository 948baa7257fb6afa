<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, defineAsyncComponent } from "vue";
import type { Band, Family, Field, RuleBody, Schemas } from "@/api/client";
import BandsEditor from "@/features/rules/BandsEditor.vue";
import NameSelect from "@/features/rules/NameSelect.vue";
import ValueEditor from "@/features/rules/ValueEditor.vue";
import { useCatalog } from "@/queries/catalog";
import { useNames } from "@/queries/names";
import { useSeries } from "@/queries/tables";

const FormulaEditor = defineAsyncComponent(() => import("@/features/rules/FormulaEditor.vue"));

/** The value that a rule gives: of a linked record, a constant, a field, a crosswalk, a series, or computed. */
const body = defineModel<RuleBody>({ required: true });
const props = defineProps<{
  field: Field;
  asFormula: boolean;
  /** What the server read from the formula that stands here now. */
  read: {
    constant?: string;
    isConstant: boolean;
    fieldValue?: string;
    lookUp?: Schemas["LookUp"];
    lineOf?: Schemas["LineOf"];
  };
}>();
const emit = defineEmits<{ formula: [] }>();
const catalog = useCatalog();
const family = computed(() => body.value.family);
const series = useSeries();

const words = useNames(() => body.value);
/** Fields behind the links of the document, from which a source can come. */
const behind = computed(() => words.names.filter((n) => n.linked && n.single && n.fits));

/** The linked record that a follow-up writes to, and its fields. */
const remoteKind = computed(() => catalog.entry(props.field.kind ?? "")?.kind);
const remote = computed(() => {
  const key = body.value.target.slice(body.value.target.lastIndexOf(".") + 1);
  return remoteKind.value?.fields.find((f) => f.key === key);
});
const remoteFields = computed(
  () => remoteKind.value?.fields.filter((f) => !f.key.startsWith("lines.")) ?? [],
);
const target = computed(() => (family.value === "follow-up" ? remote.value : props.field));

const deed = computed(() => {
  const verbs: Partial<Record<Family, string>> = {
    default: `fill ${props.field.label} with`,
    compute: `compute ${props.field.label} as`,
    substitute: `replace ${props.field.label} with`,
    "follow-up": "to",
  };
  return verbs[family.value] ?? "";
});

const usesSeries = computed(() => body.value.effect.series !== undefined);
function setSeries(on: boolean) {
  body.value.effect.series = on ? (series.data?.[0]?.series.key ?? "") : undefined;
  body.value.effect.value = on ? undefined : "";
}

const numeric = computed(() => catalog.traits(props.field.type).right);
const onlySorts = computed(
  () => family.value === "compute" && !body.value.effect.value && !!body.value.effect.bands?.length,
);
function setBands(on: boolean) {
  const two: Band[] = [
    { label: "low", until: "", including: false, tone: "calm", shape: "round" },
    { label: "high", until: "", including: false, tone: "watch", shape: "triangle" },
  ];
  body.value.effect.bands = on ? two : undefined;
}
</script>

<template>
  <div v-if="family === 'follow-up'" class="deed">
    <span class="word">after posting set</span>
    <SelectBox
      :model-value="remote?.key"
      label="Field that is written"
      :options="remoteFields.map((f) => ({ value: f.key, label: f.label }))"
      @update:model-value="body.target = `${field.key}.${$event}`"
    />
    <span class="word">of {{ field.label }}</span>
  </div>

  <fieldset v-if="family === 'default'" class="choice row">
    <legend class="field-label">Fill it with</legend>
    <label><input type="radio" :checked="!usesSeries" @change="setSeries(false)" /> a value</label>
    <label
      ><input type="radio" :checked="usesSeries" @change="setSeries(true)" /> the next number of a
      series</label
    >
  </fieldset>
  <div v-if="usesSeries" class="deed">
    <span class="word">{{ deed }}</span>
    <SelectBox
      v-model="body.effect.series"
      placeholder="a number series"
      label="Number series"
      :options="
        (series.data ?? []).map((s) => ({
          value: s.series.key,
          label: `${s.series.label}: ${s.counts[0]?.next[0] ?? 'exhausted'}`,
        }))
      "
    />
    <p v-if="series.data && !series.data.length" class="quiet">
      There is no number series yet; design one under Tables.
    </p>
  </div>
  <template v-else-if="family === 'source' && !asFormula">
    <div class="deed" data-begin>
      <span class="word">{{ field.label }} comes from</span>
      <NameSelect
        :model-value="read.fieldValue ?? body.effect.value ?? ''"
        :names="behind"
        :label="`Field of a linked record for ${field.label}`"
        placeholder="a field of a linked record"
        @update:model-value="body.effect.value = $event"
      />
    </div>
    <p v-if="!behind.length && words.names.length" class="quiet">
      No field behind a link of this kind of record fits {{ field.label }}.
    </p>
  </template>
  <FormulaEditor
    v-else-if="asFormula && target"
    :model-value="body.effect.value ?? ''"
    part="value"
    :rule="body"
    :label="deed ? deed.charAt(0).toUpperCase() + deed.slice(1) : `${field.label} comes from`"
    @update:model-value="body.effect.value = $event"
  />
  <ValueEditor
    v-else-if="target && !onlySorts"
    :kind="body.kind"
    :target="body.target"
    :field="target"
    :names="words.names"
    :formula="body.effect.value ?? ''"
    :constant="read.constant"
    :field-value="read.fieldValue"
    :look-up="read.lookUp"
    :line-of="read.lineOf"
    :is-constant="read.isConstant"
    :word="deed"
    @write="body.effect.value = $event"
    @formula="emit('formula')"
  />

  <fieldset v-if="family === 'source'" class="choice">
    <legend class="field-label">How it follows the linked record</legend>
    <label
      ><input v-model="body.effect.tie" type="radio" value="copied" /> copied when the link is set or changes;
      people can change it</label
    >
    <label
      ><input v-model="body.effect.tie" type="radio" value="live" /> live: always the current value of the
      linked record; read-only here</label
    >
  </fieldset>
  <template v-if="family === 'default'">
    <fieldset class="choice">
      <legend class="field-label">When it fills the field</legend>
      <label
        ><input v-model="body.effect.lifetime" type="radio" value="new only" /> new records only; cleared
        later, it stays blank</label
      >
      <label
        ><input v-model="body.effect.lifetime" type="radio" value="whenever blank" /> whenever blank, on saved
        records too</label
      >
      <label v-if="!usesSeries"
        ><input v-model="body.effect.lifetime" type="radio" value="keeps up" /> keeps up: refilled when
        something it reads in the document changes, unless a person entered the value</label
      >
    </fieldset>
    <label><input v-model="body.effect.fixed" type="checkbox" /> fixed: people cannot change it</label>
  </template>
  <template v-if="family === 'compute' && numeric">
    <label
      ><input
        type="checkbox"
        :checked="!!body.effect.bands?.length"
        @change="setBands(($event.target as HTMLInputElement).checked)"
      />
      sort the number into bands<span v-if="onlySorts" class="quiet"
        >; the value stays as entered</span
      ></label
    >
    <BandsEditor
      v-if="body.effect.bands?.length"
      v-model="body.effect.bands"
      :kind="body.kind"
      :field="field"
    />
  </template>
</template>

<style scoped>
.deed {
  display: flex;
  gap: 8px;
  align-items: baseline;
  flex-wrap: wrap;
}
.deed > :nth-child(2) {
  flex: 1;
  min-width: 150px;
}
.word {
  font: italic 14px/28px var(--serif);
}
.row {
  display: flex;
  gap: 14px;
}
.quiet {
  margin: 0;
}
</style>
