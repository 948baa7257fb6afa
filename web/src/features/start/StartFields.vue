<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from "vue";
import { RouterLink } from "vue-router";
import { api, type Field, type KindEntry } from "@/api/client";
import { keyOf } from "@/api/address";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { change } from "@/queries/client";
import { inSentence } from "@/queries/format";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Adds the first fields of one's own to a kind. What a type needs besides is set under Tables. */
const props = defineProps<{ entry: KindEntry }>();
const emit = defineEmits<{ done: [] }>();
const catalog = useCatalog();
const tried = useAttempt();

const added = ref<string[]>([]);
const label = ref("");
const type = ref("text");
const input = useTemplateRef<HTMLInputElement>("input");
/** The types that say all there is to say by themselves. */
const types = computed(() =>
  (catalog.catalog?.fieldTypes ?? [])
    .filter((t) => !t.settings.includes("kind") && !t.settings.includes("choices"))
    .map((t) => ({ value: t.name, label: t.label })),
);

async function add() {
  const kept = await tried.attempt(async () => {
    const field = {
      key: keyOf(label.value),
      label: label.value.trim(),
      section: props.entry.kind.sections.find((s) => s.key !== "lines")?.key ?? "",
      type: type.value as Field["type"],
      loaded: true,
      searched: false,
    };
    const params = { path: { kind: props.entry.kind.key } };
    await change(api.POST("/kinds/{kind}/fields", { params, body: field }));
  });
  if (!kept) return;
  added.value.push(label.value.trim());
  label.value = "";
  void nextTick(() => input.value?.focus());
}
</script>

<template>
  <TroubleNote v-bind="tried.trouble" />
  <p class="quiet">
    {{ entry.kind.plural }} have {{ entry.kind.fields.length }} fields:
    {{
      entry.kind.fields
        .slice(0, 8)
        .map((f) => f.label)
        .join(", ")
    }}{{ entry.kind.fields.length > 8 ? " and more" : "" }}. Add what only your
    {{ inSentence(entry.kind.plural) }} have.
    <RouterLink :to="`/tables/fields?kind=${entry.kind.key}`"
      >Links, choices and lines under Tables</RouterLink
    >
  </p>
  <form class="line-up" aria-label="Fields" @submit.prevent="add">
    <label class="wide"
      ><span class="field-label">Field</span><input ref="input" v-model="label" class="line" required
    /></label>
    <label class="type"
      ><span class="field-label">Holds</span>
      <SelectBox v-model="type" label="Holds" :options="types" />
    </label>
    <button type="submit" class="button" :class="{ first: label }" :disabled="tried.busy">
      Add the field
    </button>
    <button type="button" :class="added.length && !label ? 'button first' : 'plain'" @click="emit('done')">
      {{ added.length ? "Go on" : "No fields of my own" }}
    </button>
    <span v-if="added.length" class="quiet" role="status">Added: {{ added.join(", ") }}.</span>
  </form>
</template>

<style scoped>
.wide {
  width: 260px;
}
.type {
  width: 150px;
}
p {
  margin: 0 0 8px;
}
</style>
