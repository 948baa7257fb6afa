<script setup lang="ts">
import "dayjs/locale/en-gb";
import "element-plus/theme-chalk/el-date-picker-panel.css";
import { ElConfigProvider, ElDatePickerPanel } from "element-plus";
import en from "element-plus/es/locale/lang/en";
import { nextTick, onMounted, ref, useTemplateRef } from "vue";

/** A month of days. Weeks begin on Monday, as ISO 8601 has them. */
const props = defineProps<{ day?: string }>();
const emit = defineEmits<{ pick: [day: string] }>();
const locale = { ...en, name: "en-gb" };

/** The day one stands on: the keys move over days, a click or Enter takes one. */
const at = ref(props.day ?? "");
const panel = useTemplateRef<HTMLElement>("panel");
onMounted(enter);
/** What floats is drawn hidden until it has its place; only then can it take the cursor. */
function enter() {
  const days = [...(panel.value?.querySelectorAll<HTMLElement>("td.available") ?? [])];
  const start =
    ["current", "today"].flatMap((c) => days.filter((d) => d.classList.contains(c)))[0] ?? days[0];
  if (start?.checkVisibility({ visibilityProperty: true })) start.focus();
  else if (panel.value) requestAnimationFrame(enter);
}
function take(event: Event) {
  if (!(event.target as HTMLElement).closest(".el-date-table td.available")) return;
  void nextTick(() => at.value && emit("pick", at.value));
}
</script>

<template>
  <ElConfigProvider :locale="locale">
    <div ref="panel" @click="take" @keydown.enter="take">
      <ElDatePickerPanel
        :model-value="at"
        value-format="YYYY-MM-DD"
        :border="false"
        @update:model-value="at = String($event ?? '')"
      />
    </div>
  </ElConfigProvider>
</template>

<style scoped>
div :deep(.el-picker-panel) {
  --el-datepicker-active-color: var(--ink);
  background: none;
}
div :deep(.el-date-picker) {
  width: 252px;
}
div :deep(.el-date-picker__header) {
  padding: 8px 8px 0;
}
div :deep(.el-date-picker__header-label) {
  font: 600 15px/22px var(--serif);
}
div :deep(.el-picker-panel__content) {
  width: auto;
  margin: 6px 8px;
}
div :deep(.el-date-table th) {
  padding: 2px;
  color: var(--ink-soft);
}
div :deep(.el-date-table td) {
  padding: 1px 0;
}
div :deep(.el-date-table td.current .el-date-table-cell__text) {
  color: var(--paper);
}
div :deep(.el-date-table td:focus-visible .el-date-table-cell__text) {
  outline: 2px solid var(--focus);
}
</style>
