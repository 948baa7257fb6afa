<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed } from "vue";
import type { Field, Unique } from "@/api/client";
import { ofLine } from "@/api/address";
import { useCatalog } from "@/queries/catalog";

const unique = defineModel<Unique>({ required: true });
const props = defineProps<{ kind: string; field: Field }>();
const catalog = useCatalog();

/** A rule on the header looks at the header only; one on a line may look at both. */
const others = computed(() =>
  (catalog.entry(props.kind)?.kind.fields ?? []).filter(
    (f) => f.key !== props.field.key && (ofLine(props.field.key) || !ofLine(f.key)),
  ),
);
const textual = computed(() => catalog.traits(props.field.type).formula === "string");
const differences: { value: "case" | "spaces" | "punctuation"; label: string }[] = [
  { value: "case", label: "capitals" },
  { value: "spaces", label: "spaces" },
  { value: "punctuation", label: "punctuation" },
];
function ignore(value: "case" | "spaces" | "punctuation", on: boolean) {
  const now = unique.value.ignore ?? [];
  unique.value = { ...unique.value, ignore: on ? [...now, value] : now.filter((v) => v !== value) };
}
</script>

<template>
  <div class="unique">
    <p class="sentence">
      No two records may have the same {{ field.label
      }}<template v-if="unique.with?.length"> together with the same</template>
    </p>
    <SelectBox
      :model-value="unique.with ?? []"
      multiple
      placeholder="on its own; add fields that must also be the same"
      label="Unique together with"
      :options="others.map((f) => ({ value: f.key, label: f.label }))"
      @update:model-value="unique = { ...unique, with: $event }"
    />
    <label
      ><input
        type="radio"
        :checked="!unique.everywhere"
        name="where"
        @change="unique = { ...unique, everywhere: false }"
      />
      in the same company</label
    >
    <label
      ><input
        type="radio"
        :checked="unique.everywhere"
        name="where"
        @change="unique = { ...unique, everywhere: true }"
      />
      in any company</label
    >
    <p class="ignored">
      ignoring
      <label v-for="d in differences" :key="d.value"
        ><input
          type="checkbox"
          :checked="unique.ignore?.includes(d.value)"
          @change="ignore(d.value, ($event.target as HTMLInputElement).checked)"
        />
        {{ d.label }}</label
      >
    </p>
    <label v-if="textual"
      ><input
        type="checkbox"
        :checked="unique.near"
        @change="unique = { ...unique, near: ($event.target as HTMLInputElement).checked }"
      />
      also similar values: one letter different, another legal form, other accents</label
    >
  </div>
</template>

<style scoped>
.unique {
  display: grid;
  gap: 4px;
}
.sentence {
  font: italic 14px/1.4 var(--serif);
  margin: 0;
}
.ignored {
  margin: 0;
  display: flex;
  gap: 10px;
}
</style>
