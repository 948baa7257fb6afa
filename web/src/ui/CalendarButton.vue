<script setup lang="ts">
import { onClickOutside, useEventListener } from "@vueuse/core";
import { ElPopover } from "element-plus";
import { defineAsyncComponent, nextTick, ref, useTemplateRef } from "vue";

const DayPanel = defineAsyncComponent(() => import("@/ui/DayPanel.vue"));

/** Picks a day from a calendar, beside an input in which it can be typed; Alt and down there open it too. */
defineProps<{ label: string; day?: string }>();
const emit = defineEmits<{ pick: [day: string] }>();
const button = useTemplateRef<HTMLButtonElement>("button");
const panel = useTemplateRef<HTMLElement>("panel");
const open = ref(false);

const input = () => button.value?.parentElement?.querySelector<HTMLInputElement>("input") ?? undefined;
function close(back: boolean) {
  if (!open.value) return;
  open.value = false;
  if (back) void nextTick(() => input()?.focus());
}
function pick(day: string) {
  emit("pick", day);
  close(true);
}
onClickOutside(panel, () => close(false), { ignore: [button] });
useEventListener(
  () => button.value?.parentElement,
  "keydown",
  (event: KeyboardEvent) => {
    if (event.key !== "ArrowDown" || !event.altKey) return;
    event.preventDefault();
    event.stopPropagation();
    open.value = true;
  },
  { capture: true },
);
</script>

<template>
  <button
    ref="button"
    type="button"
    class="plain calendar"
    tabindex="-1"
    :aria-label="`Calendar for ${label}`"
    :aria-expanded="open"
    @click="open = !open"
  >
    <svg viewBox="0 0 14 14" width="13" height="13" aria-hidden="true">
      <path d="M2 3.500h10v8H2zM2 6h10M4.500 2v2M9.500 2v2" />
    </svg>
  </button>
  <ElPopover
    v-if="open && button"
    visible
    virtual-triggering
    :virtual-ref="button"
    width="auto"
    placement="bottom-end"
    :show-arrow="false"
    popper-class="calendar-panel"
  >
    <div
      ref="panel"
      role="dialog"
      :aria-label="`Calendar for ${label}`"
      @keydown.esc.stop.prevent="close(true)"
    >
      <DayPanel :day="day" @pick="pick" />
    </div>
  </ElPopover>
</template>

<style scoped>
.calendar {
  position: absolute;
  right: 3px;
  top: 4px;
  line-height: 1;
  color: var(--ink-soft);
}
.calendar svg {
  fill: none;
  stroke: currentcolor;
}
</style>
