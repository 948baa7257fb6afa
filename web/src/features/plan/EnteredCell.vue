<script setup lang="ts">
import { ElAutocomplete } from "element-plus";
import { nextTick, ref, watch } from "vue";
import type { Field } from "@/api/client";
import { isChosen, suggesting } from "@/queries/choices";

const props = defineProps<{
  field: Field;
  text: string;
  editing: boolean;
  misfit: boolean;
  replace: boolean;
  company: string;
}>();
const emit = defineEmits<{ commit: [text: string, move: number]; cancel: []; edit: [] }>();

const draft = ref("");
const box = ref<HTMLElement>();
let done = false;
let byKey = false;

watch(
  () => props.editing,
  async (editing) => {
    if (!editing) return;
    done = false;
    byKey = false;
    draft.value = props.replace ? "" : props.text;
    await nextTick();
    const element = box.value?.querySelector("input");
    element?.focus();
    element?.select();
  },
  { immediate: true },
);

const suggest = suggesting(
  () => props.field,
  () => props.company,
);

function commit(move: number) {
  if (done) return;
  done = true;
  emit("commit", draft.value, move);
}

function onKey(event: KeyboardEvent | Event) {
  const key = event as KeyboardEvent;
  if (key.key === "Enter" && (key.ctrlKey || key.metaKey)) return commit(0);
  if (key.key === "Tab") {
    key.preventDefault();
    commit(key.shiftKey ? -1 : 1);
  } else if (key.key === "Escape") {
    key.stopPropagation();
    done = true;
    emit("cancel");
  } else if (key.key === "Enter") {
    key.preventDefault();
    // The list takes Enter for the option that is lit; wait for its choice.
    byKey = true;
    setTimeout(() => commit(1));
  }
}

/** An option that was clicked is taken at once. */
function onSelect() {
  if (!byKey) void nextTick(() => commit(0));
}

defineExpose({ commit });
</script>

<template>
  <span v-if="editing" ref="box" class="edit">
    <ElAutocomplete
      v-model="draft"
      :fetch-suggestions="suggest"
      :trigger-on-focus="isChosen(field)"
      :debounce="0"
      :aria-label="field.label"
      :aria-invalid="misfit"
      placement="bottom-start"
      :fit-input-width="false"
      @keydown.capture="onKey"
      @select="onSelect"
      @blur="commit(0)"
    >
      <template #default="{ item }">
        <span class="code">{{ item.value }}</span>
        <span class="quiet"
          >{{ item.label }} <i v-if="item.about">{{ item.about }}</i></span
        >
      </template>
    </ElAutocomplete>
  </span>
  <span v-else class="shown" :class="{ misfit }" @click="emit('edit')">{{ text }}</span>
</template>

<style scoped>
.edit {
  width: 100%;
}
.edit :deep(.el-input__wrapper) {
  padding: 0 6px;
  box-shadow: none;
  background: var(--paper-raised);
}
.edit :deep(.el-input__inner) {
  font: inherit;
  height: 23px;
  line-height: 23px;
  color: var(--ink);
}
.shown {
  display: block;
  width: 100%;
  min-height: 18px;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
  cursor: text;
}
.misfit {
  color: var(--refused);
  text-decoration: underline wavy;
  text-underline-offset: 3px;
}
.code {
  display: inline-block;
  min-width: 44px;
}
</style>
