<script setup lang="ts">
import SelectBox from "@/ui/SelectBox.vue";
import { computed, ref } from "vue";
import { api } from "@/api/client";
import { change } from "@/queries/client";
import TroubleNote from "@/ui/TroubleNote.vue";
import OverSheet from "@/ui/OverSheet.vue";
import { useAttempt } from "@/queries/attempt";
import { format, type Format } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

/** How the person at work writes numbers and dates. */
const emit = defineEmits<{ close: []; chosen: [] }>();
const catalog = useCatalog();
const tried = useAttempt();

const numbers = [
  { key: ".,", label: "1,234.50" },
  { key: ",.", label: "1.234,50" },
  { key: ".’", label: "1’234.50" },
  { key: ",\u00a0", label: "1\u00a0234,50" },
  { key: ".", label: "1234.50" },
];
const dates = [
  { key: "dmy/", label: "24/11/2026" },
  { key: "dmy.", label: "24.11.2026" },
  { key: "dmy-", label: "24-11-2026" },
  { key: "mdy/", label: "11/24/2026" },
  { key: "ymd-", label: "2026-11-24" },
];
const own = ref(!!catalog.catalog?.format);
const number = ref(format.decimal + format.group);
const date = ref(format.date + format.separator);
const chosen = computed<Format | undefined>(() =>
  own.value
    ? {
        decimal: number.value.slice(0, 1),
        group: number.value.slice(1),
        date: date.value.slice(0, 3) as Format["date"],
        separator: date.value.slice(3) || "-",
      }
    : undefined,
);

async function save() {
  const kept = await tried.attempt(async () => {
    await change(api.PUT("/preferences", { body: { format: chosen.value } }));
    await catalog.reload(); // what is drawn next is written the new way
  });
  if (kept) emit("chosen");
}
</script>

<template>
  <OverSheet label="Numbers and dates" @close="emit('close')">
    <h2>Numbers and dates</h2>
    <p class="quiet">Used for what you type and what you see.</p>
    <label class="way"><input v-model="own" type="radio" :value="false" /> as the chosen company</label>
    <label class="way"><input v-model="own" type="radio" :value="true" /> my own format</label>
    <div v-if="own" class="own">
      <label
        ><span class="field-label">Numbers</span>
        <SelectBox
          v-model="number"
          within
          label="How numbers are written"
          :options="numbers.map((n) => ({ value: n.key, label: n.label }))"
        />
      </label>
      <label
        ><span class="field-label">Dates</span>
        <SelectBox
          v-model="date"
          within
          label="How dates are written"
          :options="dates.map((d) => ({ value: d.key, label: d.label }))"
        />
      </label>
    </div>
    <TroubleNote v-bind="tried.trouble" />
    <footer>
      <button type="button" class="button first" :disabled="tried.busy" @click="save">Save</button>
      <button type="button" class="button" @click="emit('close')">Cancel</button>
    </footer>
  </OverSheet>
</template>

<style scoped>
h2 {
  margin: 0 0 4px;
}
.way {
  display: block;
  padding: 3px 0;
}
.own {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
  padding: 6px 0 0 22px;
}
.wrong {
  color: var(--refused);
}
footer {
  display: flex;
  gap: 8px;
  margin-top: 14px;
}
</style>
