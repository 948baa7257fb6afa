<script setup lang="ts" generic="Value extends string | number | string[] | number[] | undefined">
import { ElSelectV2 } from "element-plus";
import { computed, ref, useTemplateRef } from "vue";
import type { Choices } from "@/ui/choice";

/** Chooses one or several of a list; a long list is searched by typing. */
const props = defineProps<{
  modelValue: Value;
  options: Choices;
  /** What is chosen, for who does not see it. */
  label: string;
  placeholder?: string;
  multiple?: boolean;
  disabled?: boolean;
  /** It reads as a part of a sentence. */
  inSentence?: boolean;
  /** What is chosen can be taken back to nothing. */
  clearable?: boolean;
  /** What stands there whatever is chosen. */
  caption?: string;
  /** Looks for what fits the words that are typed; without it the list is searched by itself. */
  search?: (words: string) => unknown;
  loading?: boolean;
  /** The list is part of the sheet it stands in. */
  within?: boolean;
}>();
const emit = defineEmits<{
  "update:modelValue": [value: Value];
  change: [value: Value];
}>();

const flat = computed(() => props.options.flatMap((o) => ("options" in o ? o.options : [o])));
/** A blank value is one of the choices, or nothing is chosen. */
const chosen = computed(() => {
  if (props.modelValue || props.modelValue === 0) return props.modelValue;
  return flat.value.some((o) => o.value === "") ? "" : undefined;
});
const long = 10;

/** The list is as wide as its longest choice, and not narrower than the box: no choice is cut. */
const box = useTemplateRef<{ $el: HTMLElement }>("box");
const width = ref<number>();
function widen(open: boolean) {
  if (!open) return;
  const longest = Math.max(
    0,
    ...flat.value.map((o) => `${o.label} ${"about" in o ? (o.about ?? "") : ""}`.length),
  );
  width.value = Math.min(520, Math.max(box.value?.$el.offsetWidth ?? 0, Math.ceil(longest * 7.2) + 56));
}

function take(taken?: Value) {
  const value = taken ?? ("" as Value); // cleared
  emit("update:modelValue", value);
  emit("change", value);
}
</script>

<template>
  <ElSelectV2
    ref="box"
    :class="{ 'in-sentence': inSentence }"
    :model-value="chosen as never"
    :options="options as never"
    :aria-label="label"
    :placeholder="placeholder ?? ''"
    :multiple="multiple"
    :collapse-tags="multiple"
    :disabled="disabled"
    :clearable="clearable"
    :filterable="!!search || flat.length > long"
    :remote="!!search"
    :remote-method="search as never"
    :loading="loading"
    :fit-input-width="width ?? false"
    :empty-values="[undefined, null]"
    :item-height="28"
    :teleported="!within"
    scrollbar-always-on
    @visible-change="widen"
    @update:model-value="take($event as Value | undefined)"
  >
    <template v-if="caption" #tag
      ><span class="caption">{{ caption }}</span></template
    >
    <template #default="{ item: option }">
      <slot :option="option">
        {{ option.label }} <span v-if="option.about" class="quiet">{{ option.about }}</span>
      </slot>
    </template>
  </ElSelectV2>
</template>

<style scoped>
.caption {
  padding-left: 7px;
}
</style>
