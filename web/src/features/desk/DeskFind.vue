<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { onMounted, ref, useTemplateRef } from "vue";
import { RouterLink } from "vue-router";
import { findRecords } from "@/queries/batches";
import OverSheet from "@/ui/OverSheet.vue";

/** Finds a document of the kind that is keyed; what is being keyed stays. */
const props = defineProps<{ kind: string; label: string; company: string }>();
const emit = defineEmits<{ close: [] }>();
const words = ref("");
const found = ref<{ number: string; title: string; about?: string }[]>([]);
const box = useTemplateRef<HTMLInputElement>("box");
onMounted(() => box.value?.focus());
let turn = 0;
async function look() {
  const mine = ++turn;
  const hits = words.value.trim()
    ? await findRecords(props.kind, props.company, words.value).catch(() => [])
    : [];
  if (mine === turn) found.value = hits;
}
</script>

<template>
  <OverSheet :label="`Find ${label}`" @close="emit('close')">
    <input
      ref="box"
      v-model="words"
      class="line"
      :aria-label="`Find ${label}`"
      placeholder="Number or words"
      @input="look"
    />
    <ul>
      <li v-for="f in found" :key="f.number">
        <RouterLink :to="recordPlace(kind, f.number)">{{ f.number }}</RouterLink> {{ f.title }}
        <span class="quiet">{{ f.about }}</span>
      </li>
    </ul>
    <p v-if="words && !found.length" class="quiet">Nothing fits these words.</p>
  </OverSheet>
</template>

<style scoped>
ul {
  margin: 8px 0 0;
  padding: 0;
  max-height: 50vh;
  overflow: auto;
}
li {
  list-style: none;
  padding: 3px 0;
}
</style>
