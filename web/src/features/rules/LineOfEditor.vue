<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Field, Name, Schemas } from "@/api/client";
import { column, ofLine } from "@/api/address";
import NameSelect from "@/features/rules/NameSelect.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { useCatalog } from "@/queries/catalog";

/** A value of one line of a linked record: which line, and valid on which day. */
const props = defineProps<{ lineOf?: Schemas["LineOf"]; names: Name[]; field: Field; label: string }>();
const emit = defineEmits<{ write: [formula: string] }>();
const catalog = useCatalog();

const lineNumber = "number";
const blank = (): Schemas["LineOf"] => ({ link: "", column: "", keys: [], from: "", until: "", day: "" });
const chosen = ref(blank());
watch(
  () => JSON.stringify(props.lineOf),
  () => {
    if (props.lineOf)
      chosen.value = { ...blank(), ...(JSON.parse(JSON.stringify(props.lineOf)) as Schemas["LineOf"]) };
  },
  { immediate: true },
);

/** The kind that a link leads to. */
function kindOf(name: Name) {
  const own = catalog.entry(name.kind)?.kind.fields.find((f) => f.key === name.field);
  return own?.kind ? catalog.entry(own.kind)?.kind : undefined;
}
const single = computed(() => props.names.filter((n) => n.single));
const links = computed(() => single.value.filter((n) => kindOf(n)?.fields.some((f) => ofLine(f.key))));
const columns = computed<Field[]>(() => {
  const link = links.value.find((n) => n.name === chosen.value.link);
  return (link && kindOf(link)?.fields.filter((f) => ofLine(f.key))) ?? [];
});
const dated = computed(() => columns.value.filter((f) => catalog.traits(f.type).formula === "date"));
const days = computed(() => single.value.filter((n) => n.type === "date"));

function choose(link = "") {
  chosen.value = { ...blank(), link };
  // What is nearly always meant: the column like this field, found by the fields of one name, on the document's day.
  const like = (f: Field) =>
    single.value.find((n) => n.field.replace(/^lines\./, "") === column(f.key) && !n.linked);
  chosen.value.column = column(
    columns.value.find((f) => column(f.key) === column(props.field.key))?.key ?? "",
  );
  const key = columns.value.find((f) => f.kind && like(f));
  chosen.value.keys = key ? [{ column: column(key.key), name: like(key)!.name }] : [];
  const [from, until] = [dated.value[0], dated.value[1]];
  const day = days.value[0]?.name ?? "";
  if (from && day)
    Object.assign(chosen.value, { from: column(from.key), until: until ? column(until.key) : "", day });
  write();
}
function add() {
  chosen.value.keys.push({ column: "", name: "" });
}
function remove(i: number) {
  chosen.value.keys.splice(i, 1);
  write();
}
function write() {
  const { link, column: of, keys, from, until, day } = chosen.value;
  if (!link || !of || !keys.length || keys.some((k) => !k.column || !k.name)) return;
  const conditions = keys.map((k) => `${k.column} = ${k.name}`);
  if (day && from) conditions.push(`(is blank(${from}) or ${from} <= ${day})`);
  if (day && until) conditions.push(`(is blank(${until}) or ${day} <= ${until})`);
  emit("write", `${link}.lines[${conditions.join(" and ")}][1].${of}`);
}
const columnOptions = computed(() => columns.value.map((f) => ({ value: column(f.key), label: f.label })));
</script>

<template>
  <div class="line-of">
    <SelectBox
      :model-value="chosen.link"
      placeholder="a linked list"
      label="Linked record with lines"
      :options="links.map((n) => ({ value: n.name, label: n.label }))"
      @update:model-value="choose"
    />
    <template v-if="chosen.link">
      <SelectBox
        v-model="chosen.column"
        label="Column of the value"
        placeholder="a column"
        :options="columnOptions"
        @change="write"
      />
      <div v-for="(k, i) in chosen.keys" :key="i" class="key">
        <span class="word">{{ i === 0 ? "where" : "and" }}</span>
        <SelectBox
          v-model="k.column"
          :label="`Column that is compared, ${i + 1}`"
          :options="[...columnOptions, { value: lineNumber, label: 'Line number' }]"
          @change="write"
        />
        <span class="word">is</span>
        <NameSelect
          :model-value="k.name"
          :names="single"
          :label="`What it is compared with, ${i + 1}`"
          placeholder="a field"
          @update:model-value="((k.name = $event), write())"
        />
        <button type="button" class="plain" :aria-label="`Remove comparison ${i + 1}`" @click="remove(i)">
          ×
        </button>
      </div>
      <button type="button" class="plain more" @click="add">Add a comparison</button>
      <template v-if="dated.length">
        <div class="dates">
          <span class="word">valid from</span>
          <SelectBox
            v-model="chosen.from"
            label="Column with the first day"
            :options="[
              { value: '', label: 'no matter' },
              ...dated.map((f) => ({ value: column(f.key), label: f.label })),
            ]"
            @change="write"
          />
          <span class="word">until</span>
          <SelectBox
            v-model="chosen.until"
            label="Column with the last day"
            :options="[
              { value: '', label: 'no matter' },
              ...dated.map((f) => ({ value: column(f.key), label: f.label })),
            ]"
            @change="write"
          />
        </div>
        <div v-if="chosen.from || chosen.until" class="key">
          <span class="word">on</span>
          <NameSelect
            :model-value="chosen.day ?? ''"
            :names="days"
            label="Day on which the line is valid"
            placeholder="a day"
            @update:model-value="((chosen.day = $event), write())"
          />
        </div>
      </template>
    </template>
    <p v-if="!links.length" class="quiet">No record that is linked here has lines.</p>
  </div>
</template>

<style scoped>
.line-of {
  display: grid;
  gap: 5px;
  width: 100%;
}
.key,
.dates {
  display: flex;
  gap: 6px;
  align-items: center;
}
.key > :deep(.el-select),
.dates > :deep(.el-select) {
  flex: 1;
  min-width: 0;
}
.word {
  font: italic 14px/28px var(--serif);
  white-space: nowrap;
}
.more {
  justify-self: start;
}
.quiet {
  margin: 0;
}
</style>
