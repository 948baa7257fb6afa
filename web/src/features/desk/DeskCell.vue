<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from "vue";
import type { FieldOutcome } from "@/api/client";
import { parseAddress } from "@/api/address";
import type { Place } from "@/features/desk/order";
import CellInput from "@/features/records/CellInput.vue";
import type { Trial } from "@/queries/trial";

/**
 * A field as it is keyed. One that is keyed twice hides what was keyed first, and asks until the same is keyed two times
 * in a row.
 */
const props = defineProps<{
  place: Place;
  address: string;
  trial: Trial;
  company: string;
  /** Before anything is keyed in its line: what the rules say of a line like it. */
  outcome?: FieldOutcome;
  skip: boolean;
  inLine?: boolean;
  /** The unit of a quantity, where it stands in a place of its own beside it. */
  unit?: string;
}>();
const emit = defineEmits<{ changed: []; on: [] }>();

const cell = useTemplateRef<HTMLElement>("cell");
const parsed = computed(() => parseAddress(props.address));
const label = computed(() =>
  parsed.value.line ? `${props.place.label} in line ${parsed.value.line}` : props.place.label,
);
const text = computed(() => props.trial.textOf(props.address));

/** It was keyed once and is asked for again; what was keyed is hidden. */
const asking = ref(false);
/** The two were different: the last one counts as the first. */
const differed = ref(false);
const second = ref("");
const twice = computed(() => !!props.outcome?.twice);

async function focus() {
  await nextTick();
  cell.value?.querySelector("input")?.focus();
}

/** What was keyed first is on its way: it is asked for again before the cursor goes on. */
let pending = false;
async function enter(typed: string) {
  emit("changed");
  const done = props.trial.enter(props.address, typed);
  if (!twice.value || !typed.trim()) return;
  pending = true;
  await done;
  pending = false;
  if (props.outcome?.misfit) return focus();
  asking.value = true;
  second.value = "";
  await focus();
}

function down() {
  if (!pending && !asking.value) emit("on");
}

/** Compares what was keyed the second time; the program does, so that two ways to write a value are the same. */
async function compare() {
  const typed = second.value;
  if (!typed.trim()) return;
  await props.trial.enterAgain(props.address, typed);
  const { key, line } = parsed.value;
  const differs = props.trial.outcome.value?.messages.some(
    (m) => m.code === "keyed-differently" && m.field === key && (m.line ?? 0) === line,
  );
  second.value = "";
  if (!differs) {
    asking.value = differed.value = false;
    emit("on");
    return;
  }
  differed.value = true;
  await props.trial.enter(props.address, typed);
  await focus();
}
function stay(event: FocusEvent) {
  // The cursor does not go on before the same was keyed two times in a row; it may leave for good with another window.
  if (asking.value && event.relatedTarget) void focus();
}
function giveUp() {
  asking.value = differed.value = false;
  void props.trial.enter(props.address, "");
  void focus();
}
</script>

<template>
  <span ref="cell" class="desk-cell">
    <template v-if="asking">
      <input
        v-model="second"
        class="line again"
        autocomplete="off"
        :aria-label="`${label}, keyed again`"
        :placeholder="differed ? 'different: key it again' : '••••• key it again'"
        @keydown.enter.prevent.stop="compare"
        @keydown.tab.prevent.stop="compare"
        @keydown.esc.prevent.stop="giveUp"
        @blur="stay"
      />
    </template>
    <CellInput
      v-else
      :field="place.field"
      :label="label"
      :text="text"
      :outcome="outcome"
      :unjudged="!!trial.problem.value"
      :company="company"
      :skip="skip"
      :in-line="inLine"
      :unit="unit"
      :data-stop="outcome?.cursor === 'stop' || undefined"
      @enter="enter"
      @down="down"
    />
  </span>
</template>

<style scoped>
.desk-cell {
  display: block;
  min-width: 0;
}
.again {
  height: 28px;
  background: var(--paper-marked, var(--paper-raised));
}
</style>
