<script setup lang="ts">
import { computed, ref } from "vue";
import type { Schemas } from "@/api/client";
import { correct, wordsOf, type Hindrance } from "@/queries/breaks";

/** A value of a saved record, corrected in place by the same rules as its form. */
const props = defineProps<{
  of: { kind: string; number: string };
  change: Schemas["ValueChange"];
  /** A posted record stays as it is. */
  posted?: boolean;
}>();
const typed = ref<string>();
const hindrance = ref<Hindrance>();
const reason = ref("");
const saved = ref(false);
const would = computed(() => props.change.after.text);

async function save(text = typed.value ?? props.change.before.text) {
  typed.value = text;
  const reasons = reason.value
    ? Object.fromEntries((hindrance.value?.asks ?? []).map((rule) => [rule, reason.value]))
    : {};
  try {
    hindrance.value = await correct(props.of, props.change.field, props.change.line ?? 0, text, reasons);
    saved.value = !hindrance.value;
  } catch (error) {
    saved.value = false;
    hindrance.value = { said: wordsOf(error), asks: [] };
  }
}
</script>

<template>
  <form @submit.prevent="save()">
    <label
      ><span class="quiet">{{ change.label }}</span>
      <span v-if="posted">{{ change.before.text || "blank" }}</span>
      <input
        v-else
        class="line"
        autocomplete="off"
        :aria-label="`${change.label} of ${of.number}`"
        :value="typed ?? change.before.text"
        @input="typed = ($event.target as HTMLInputElement).value"
    /></label>
    <span v-if="saved" role="status">Saved</span>
    <span v-else-if="hindrance" role="alert" class="wrong">
      {{ hindrance.said }}
      <template v-if="hindrance.asks.length">
        <input
          v-model="reason"
          class="line reason"
          :aria-label="`Reason for ${change.label} of ${of.number}`"
          placeholder="Reason"
        />
        <button type="submit" class="plain" :disabled="!reason">Save with this reason</button>
      </template>
    </span>
    <template v-else-if="would">
      <span v-if="posted" class="quiet">would be {{ would }}</span>
      <button v-else type="button" class="plain" @click="save(would)">Use {{ would }}</button>
    </template>
  </form>
</template>

<style scoped>
.wrong {
  color: var(--refused);
}
label {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
  white-space: nowrap;
}
.reason {
  width: 220px;
}
label input {
  width: 150px;
}
</style>
