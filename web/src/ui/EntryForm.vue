<script setup lang="ts">
import type { Use } from "@/api/client";
import TroubleNote from "@/ui/TroubleNote.vue";

/** The form of one entry of a table: what is wrong with it, its parts, and how it ends. */
defineProps<{
  label: string;
  title: string;
  trouble: { problem: string; uses: Use[]; count: number };
  busy: boolean;
  /** A new entry cannot be deleted. */
  adding: boolean;
  unsound?: boolean;
}>();
defineEmits<{ save: []; leave: []; remove: [] }>();
</script>

<template>
  <form class="edit" :aria-label="label" @submit.prevent="$emit('save')">
    <h2>{{ title }}</h2>
    <TroubleNote v-bind="trouble" />
    <slot />
    <div class="buttons">
      <slot name="buttons" />
      <button type="submit" class="button first" :disabled="busy || unsound">Save</button>
      <button type="button" class="button" @click="$emit('leave')">Leave it</button>
      <button v-if="!adding" type="button" class="button" :disabled="busy" @click="$emit('remove')">
        Delete
      </button>
    </div>
  </form>
</template>
