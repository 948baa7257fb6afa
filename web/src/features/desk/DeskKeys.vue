<script setup lang="ts">
import { ref } from "vue";
import { shownKey, unfit, nameOf, type Deed, type DeskKey } from "@/features/desk/keys";
import OverSheet from "@/ui/OverSheet.vue";

/** The keys of the desk, and how they are changed: one presses the key that is to do it. */
defineProps<{ keys: DeskKey[] }>();
const emit = defineEmits<{ change: [deed: Deed, key: string]; forget: []; close: [] }>();
const asked = ref<Deed>();
const why = ref("");

function take(event: KeyboardEvent) {
  if (!asked.value || event.key === "Tab") return;
  event.preventDefault();
  event.stopPropagation();
  if (event.key === "Escape") return (asked.value = undefined);
  if (["Control", "Alt", "Shift", "Meta"].includes(event.key)) return;
  const key = nameOf(event);
  why.value = unfit(key);
  if (why.value) return;
  emit("change", asked.value, key);
  asked.value = undefined;
}
</script>

<template>
  <OverSheet label="Keys of the desk" @close="emit('close')">
    <h2>Keys of the desk</h2>
    <p class="quiet">
      Choose a line and press the key that is to do it. Enter and Tab go to the next field; = keys what
      balances.
    </p>
    <dl @keydown.capture="take">
      <template v-for="k in keys" :key="k.deed">
        <dt>{{ k.label }}</dt>
        <dd>
          <button
            type="button"
            class="plain"
            :aria-label="`${asked === k.deed ? 'press a key…' : shownKey(k.key)} for ${k.label}`"
            :data-deed="k.deed"
            @click="((asked = k.deed), (why = ''))"
          >
            {{ asked === k.deed ? "press a key…" : shownKey(k.key) }}
          </button>
        </dd>
      </template>
    </dl>
    <p v-if="why" class="refused" role="alert">{{ why }}</p>
    <p class="buttons">
      <button type="button" class="button" @click="emit('forget')">As they were</button>
      <button type="button" class="button first" @click="emit('close')">Done</button>
    </p>
  </OverSheet>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 4px 18px;
  max-height: 52vh;
  overflow: auto;
}
dt,
dd {
  margin: 0;
}
dd .plain {
  font: 12px/1.5 var(--mono);
}
.buttons {
  display: flex;
  gap: 8px;
}
.refused {
  color: var(--refused);
}
</style>
