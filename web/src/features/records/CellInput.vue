<script setup lang="ts">
import { ElAutocomplete } from "element-plus";
import { vActiveOption } from "@/ui/activeOption";
import { computed, ref, useTemplateRef } from "vue";
import type { Field, FieldOutcome } from "@/api/client";
import { isChosen, labelOf, suggesting } from "@/queries/choices";
import CalendarButton from "@/ui/CalendarButton.vue";
import { useCatalog } from "@/queries/catalog";

const props = defineProps<{
  field: Field;
  label: string;
  /** What was entered, as the person reads it. */
  text: string;
  outcome?: FieldOutcome;
  /** What came of the entries is not known: they could not be sent. */
  unjudged?: boolean;
  company: string;
  readonly?: boolean;
  /** The cursor passes the field over; a click still reaches it. */
  skip?: boolean;
  inputId?: string;
  /** In a column of lines numbers stand below each other. */
  inLine?: boolean;
  /** The unit of a quantity, where it stands in a place of its own beside it: it is not said twice. */
  unit?: string;
}>();
const emit = defineEmits<{ enter: [text: string]; down: [] }>();

const draft = ref("");
const focused = ref(false);
const box = useTemplateRef<HTMLElement>("box");
const list = useTemplateRef<{ highlightedIndex: number }>("list");

const catalog = useCatalog();
const traits = computed(() => catalog.traits(props.field.type));
const keys = computed(() => traits.value.keys as "decimal" | "email" | "tel" | "url" | undefined);
const fixed = computed(() => props.readonly || props.outcome?.access === "read-only");
function bare(text: string): string {
  return props.unit && text.endsWith(` ${props.unit}`) ? text.slice(0, -props.unit.length - 1) : text;
}
/** What rules made of the field, unless the entry does not fit it; a code with what it means. */
const result = computed(() => {
  const judged = props.outcome && !props.outcome.misfit && !(props.unjudged && props.text);
  const text = bare(judged ? props.outcome!.final.text : props.text);
  const label = props.inLine ? undefined : labelOf(props.field, text, props.company);
  return label ? `${text} ${label}` : text;
});
const shown = computed(() => (focused.value ? draft.value : result.value));
const made = computed(() => (props.outcome?.final.text ? props.outcome.made : ""));
const right = computed(() => props.inLine && traits.value.right);
function focus() {
  if (focused.value) return;
  draft.value = bare(props.text);
  focused.value = true;
  void Promise.resolve().then(() => box.value?.querySelector("input")?.select());
}
function commit() {
  if (!focused.value) return;
  focused.value = false;
  if (draft.value.trim() !== bare(props.text.trim())) emit("enter", draft.value);
}
function onKey(event: KeyboardEvent | Event) {
  const key = event as KeyboardEvent;
  if (key.key === "Escape") {
    draft.value = bare(props.text);
  } else if (key.key === "Enter" && !key.ctrlKey && !key.metaKey) {
    key.preventDefault();
    if ((list.value?.highlightedIndex ?? -1) < 0) return take(true);
    // The list takes Enter for the option that is lit; wait for its choice.
    setTimeout(() => take(false));
  }
}

/** Takes what is typed while the cursor stays, or goes on: what is typed next goes where the cursor is then. */
function take(on: boolean) {
  commit();
  focused.value = true;
  if (on) emit("down");
  if (document.activeElement !== box.value?.querySelector("input")) focused.value = false;
}

const suggest = suggesting(
  () => props.field,
  () => props.company,
);
</script>

<template>
  <span
    ref="box"
    v-active-option
    class="cell"
    :class="[`made-${made || 'none'}`, { right, misfit: !!outcome?.misfit }]"
  >
    <span v-if="fixed" class="fixed" :title="result">{{ result || "–" }}</span>
    <ElAutocomplete
      v-else-if="isChosen(field)"
      :id="inputId"
      ref="list"
      :model-value="shown"
      :fetch-suggestions="suggest"
      :debounce="60"
      :trigger-on-focus="traits.input !== 'link'"
      :aria-label="label"
      :tabindex="skip ? -1 : undefined"
      :placeholder="focused ? result : ''"
      :fit-input-width="false"
      placement="bottom-start"
      @update:model-value="draft = String($event)"
      @focus="focus"
      @blur="commit"
      @keydown.capture="onKey"
    >
      <template #default="{ item }">
        <span class="code">{{ item.value }}</span>
        <span class="quiet"
          >{{ item.label }} <i v-if="item.about">{{ item.about }}</i></span
        >
      </template>
    </ElAutocomplete>
    <template v-else>
      <input
        :id="inputId"
        class="line"
        :value="shown"
        :aria-label="label"
        :tabindex="skip ? -1 : undefined"
        :aria-invalid="!!outcome?.misfit"
        :inputmode="keys"
        :placeholder="focused ? result : ''"
        :title="focused ? '' : result"
        autocomplete="off"
        @input="draft = ($event.target as HTMLInputElement).value"
        @focus="focus"
        @blur="commit"
        @keydown="onKey"
      />
      <CalendarButton v-if="traits.input === 'date'" :label="label" @pick="emit('enter', $event)" />
    </template>
  </span>
</template>

<style scoped>
.cell {
  display: block;
  position: relative;
  min-width: 0;
}
input.line {
  height: 28px;
  text-overflow: ellipsis;
}
.cell :deep(.el-autocomplete) {
  width: 100%;
}
.cell :deep(.el-input__wrapper) {
  padding: 0 7px;
  box-shadow: 0 0 0 1px var(--rule-strong) inset;
  border-radius: 3px;
  background: var(--paper-raised);
}
.cell :deep(.el-input__wrapper.is-focus) {
  outline: 2px solid var(--focus);
  outline-offset: 1px;
}
.cell :deep(.el-input__inner) {
  color: inherit;
  font: inherit;
  height: 28px;
  text-overflow: ellipsis;
}
.cell:has(.fixed) {
  padding: 5px 0;
}
.fixed {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.right,
.right input {
  text-align: right;
}
.made-source,
.made-source input {
  color: var(--source);
}
.made-default,
.made-default input {
  color: var(--default);
}
.made-compute,
.made-compute input {
  color: var(--compute);
}
.made-substitute,
.made-substitute input {
  color: var(--substitute);
}
.misfit input {
  color: var(--refused);
  text-decoration: underline wavy;
  text-underline-offset: 3px;
}
.code {
  display: inline-block;
  min-width: 52px;
  margin-right: 4px;
}
</style>
