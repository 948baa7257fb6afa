<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import ThingHistory from "@/features/codicils/ThingHistory.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { orNone } from "@/ui/choice";
import { computed, ref, watch } from "vue";
import { api, ask, type Field, type KindEntry, type Schemas } from "@/api/client";
import { column, keyOf, ofLine } from "@/api/address";
import TroubleNote from "@/ui/TroubleNote.vue";
import { change } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const props = defineProps<{ entry: KindEntry; field?: Field }>();
const emit = defineEmits<{ saved: []; close: [] }>();
const catalog = useCatalog();
const tried = useAttempt();

const draft = ref<Field>(
  props.field
    ? (JSON.parse(JSON.stringify(props.field)) as Field)
    : {
        key: "",
        label: "",
        section: props.entry.kind.sections[0]?.key ?? "",
        type: catalog.catalog?.fieldTypes[0]?.name ?? "text",
        loaded: true,
        searched: false,
      },
);
const key = ref(column(draft.value.key));
const keyTyped = ref(!!props.field);
const choices = ref(
  (draft.value.list ? [] : (draft.value.choices ?? []))
    .map((c) => (c.label ? `${c.code} ${c.label}` : c.code))
    .join("\n"),
);
const check = ref<Schemas["FieldCheck"]>();

const traits = computed(() => catalog.traits(draft.value.type));
const heeds = (setting: string) => traits.value.settings.includes(setting);
const inLines = computed(() => draft.value.section === "lines");

/** The fields that may stand beside this one: its currency, unit or country. */
const beside = computed(() => {
  const named = [
    { key: "currency", label: "Currency from" },
    { key: "unit", label: "Unit from" },
    { key: "country", label: "Country from" },
  ] as const;
  return named.find((n) => heeds(n.key));
});
const besideFields = computed(() =>
  props.entry.kind.fields.filter(
    (f) => catalog.traits(f.type).beside && f.key !== draft.value.key && (inLines.value || !ofLine(f.key)),
  ),
);

watch(
  () => draft.value.label,
  (label) => {
    if (keyTyped.value) return;
    key.value = keyOf(label);
  },
);

function written(): Field {
  const codes = choices.value
    .split("\n")
    .map((l) => l.trim())
    .filter(Boolean)
    .map((l) => ({ code: l.split(/\s+/)[0]!, label: l.split(/\s+/).slice(1).join(" ") }));
  return {
    ...draft.value,
    key: props.field?.key ?? (inLines.value ? `lines.${key.value}` : key.value),
    list: heeds("choices") ? draft.value.list || undefined : undefined,
    choices: heeds("choices") && !draft.value.list ? codes : undefined,
    length: heeds("length") ? draft.value.length || undefined : undefined,
    digits: heeds("digits") ? draft.value.digits || undefined : undefined,
    decimals: heeds("decimals") ? draft.value.decimals || undefined : undefined,
    kind: heeds("kind") ? draft.value.kind : undefined,
  };
}

async function save() {
  const path = { kind: props.entry.kind.key, key: props.field?.key ?? "" };
  check.value = undefined;
  const kept = await tried.attempt(async () => {
    if (!props.field) {
      const params = { path: { kind: path.kind } };
      await change(api.POST("/kinds/{kind}/fields", { params, body: written() }));
      return;
    }
    // What would not fit is said before anything is changed.
    const found = await ask(
      api.POST("/kinds/{kind}/fields/{key}/check", { params: { path }, body: written() }),
    );
    if (found.misfits) {
      check.value = found;
      throw new Error(
        `${found.misfits} of ${found.values} saved values would not fit. Change them first, or keep the field as it is.`,
      );
    }
    await change(api.PUT("/kinds/{kind}/fields/{key}", { params: { path }, body: written() }));
  });
  if (kept) emit("saved");
}
</script>

<template>
  <form
    class="edit"
    :aria-label="props.field ? `Field ${props.field.label}` : 'New field'"
    @submit.prevent="save"
  >
    <h2>
      {{
        props.field ? props.field.label : `New field of ${inSentence(entry.kind.plural)}, for all companies`
      }}
    </h2>
    <TroubleNote v-bind="tried.trouble" />
    <ul v-if="check" class="misfits">
      <li v-for="(m, i) in check.examples" :key="i">
        {{ m.number }}<template v-if="m.line"> line {{ m.line }}</template
        >: {{ m.value }} – {{ m.message }}
      </li>
    </ul>
    <div class="fields">
      <label class="wide"
        ><span class="field-label">Label</span><input v-model="draft.label" class="line" required autofocus
      /></label>
      <label v-if="!props.field"
        ><span class="field-label">Key, for formulas</span
        ><input v-model.trim="key" class="line mono" required @input="keyTyped = true"
      /></label>
      <label
        ><span class="field-label">Section</span>
        <SelectBox
          v-model="draft.section"
          label="Stands in"
          :options="entry.kind.sections.map((s) => ({ value: s.key, label: s.label }))"
      /></label>
      <label
        ><span class="field-label">Type</span>
        <SelectBox
          v-model="draft.type"
          label="Type"
          :options="(catalog.catalog?.fieldTypes ?? []).map((t) => ({ value: t.name, label: t.label }))"
      /></label>
      <label v-if="heeds('length')"
        ><span class="field-label">Characters</span
        ><WholeInput v-model="draft.length" :min="1" placeholder="255"
      /></label>
      <label v-if="heeds('case')"
        ><span class="field-label">Case</span>
        <SelectBox
          :model-value="draft.case ?? ''"
          label="Case"
          :options="[
            { value: '', label: 'as typed' },
            { value: 'upper', label: 'capitals' },
            { value: 'lower', label: 'small letters' },
          ]"
          @change="draft.case = $event || undefined"
      /></label>
      <label v-if="heeds('pattern')"
        ><span class="field-label">Pattern</span
        ><input v-model.trim="draft.pattern" class="line mono" placeholder="[A-Z]\d{2}"
      /></label>
      <label v-if="heeds('digits')"
        ><span class="field-label">Digits before the point</span
        ><WholeInput v-model="draft.digits" :min="1" placeholder="15"
      /></label>
      <label v-if="heeds('decimals')"
        ><span class="field-label">Decimals</span
        ><WholeInput v-model="draft.decimals" :min="0" placeholder="0"
      /></label>
      <label v-if="heeds('kind')"
        ><span class="field-label">Links to</span>
        <SelectBox
          v-model="draft.kind"
          label="Links to"
          :options="catalog.kinds.map((k) => ({ value: k.kind.key, label: k.kind.label }))"
      /></label>
      <label v-if="heeds('choices')"
        ><span class="field-label">Choices from</span>
        <SelectBox
          :model-value="draft.list ?? ''"
          label="Choices from"
          :options="
            orNone(
              'codes of its own',
              (catalog.catalog?.lists ?? []).map((l) => ({ value: l.key, label: l.label })),
            )
          "
          @change="draft.list = $event || undefined"
      /></label>
      <label v-if="beside"
        ><span class="field-label">{{ beside.label }}</span>
        <SelectBox
          :model-value="draft[beside.key] ?? ''"
          :label="beside.label"
          :options="
            orNone(
              'the company',
              besideFields.map((f) => ({ value: column(f.key), label: f.label })),
            )
          "
          @change="draft[beside.key] = $event || undefined"
      /></label>
    </div>
    <label v-if="heeds('choices') && !draft.list" class="codes"
      ><span class="field-label">Choices, one a line: code and label</span>
      <textarea v-model="choices" class="line" rows="4" placeholder="A First&#10;B Second" />
    </label>
    <label class="help"
      ><span class="field-label">Help</span><input v-model="draft.help" class="line"
    /></label>
    <p class="ticks">
      <label><input v-model="draft.searched" type="checkbox" /> included in search</label>
      <label><input v-model="draft.loaded" type="checkbox" /> included in loads</label>
    </p>
    <ThingHistory v-if="props.field" what="field" :of="`${props.entry.kind.key}/${props.field.key}`" />
    <div class="buttons">
      <button type="submit" class="button first" :disabled="tried.busy">
        {{ props.field ? "Save" : "Add the field" }}
      </button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
    </div>
  </form>
</template>

<style scoped>
.help,
.codes {
  display: block;
  max-width: 560px;
  margin-bottom: 8px;
}
.ticks {
  display: flex;
  gap: 18px;
  margin: 0 0 10px;
}
.misfits {
  margin: 4px 0 8px;
  color: var(--refused);
}
</style>
