<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import { api, ask, type KindEntry } from "@/api/client";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { change } from "@/queries/client";
import type { CodeList } from "@/queries/lists";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Narrows the long lists that records of a kind choose from to what the business uses. */
const props = defineProps<{ entry: KindEntry; country: string; currency: string }>();
const emit = defineEmits<{ done: [] }>();
const catalog = useCatalog();
const tried = useAttempt();

/** A list is long where nobody finds a code in it by looking. */
const long = 30;
const keys = computed(() => {
  const chosenFrom = new Set(props.entry.kind.fields.map((f) => f.list));
  return (catalog.catalog?.lists ?? [])
    .filter((l) => chosenFrom.has(l.key) && l.options.length > long)
    .map((l) => l.key);
});
const lists = ref<{ list: CodeList; version: number; used: string[] }[]>([]);
watch(
  keys,
  (now) =>
    tried.attempt(async () => {
      const views = await Promise.all(
        now.map((key) => ask(api.GET("/tables/lists/{key}", { params: { path: { key } } }))),
      );
      lists.value = views.map((v) => {
        const own = [props.country, props.currency].filter((c) => v.list.entries?.some((e) => e.code === c));
        return { list: v.list, version: v.version ?? 0, used: own };
      });
    }),
  { immediate: true },
);

async function save() {
  const done = await tried.attempt(async () => {
    for (const { list, version, used } of lists.value) {
      if (!used.length) continue; // all of it stays
      const others = (list.views ?? []).filter((v) => v.company !== "");
      const narrowed = { ...list, views: [{ company: "", only: used }, ...others] };
      const params = { path: { key: list.key } };
      await change(api.PUT("/tables/lists/{key}", { params, body: { list: narrowed, version } }));
    }
  });
  if (done) emit("done");
}
</script>

<template>
  <TroubleNote v-bind="tried.trouble" />
  <form class="line-up" aria-label="Lists" @submit.prevent="save">
    <div v-for="l in lists" :key="l.list.key" class="list">
      <span class="field-label">{{ l.list.label }} ({{ l.list.entries?.length }} by standard)</span>
      <SelectBox
        v-model="l.used"
        multiple
        :label="l.list.label"
        placeholder="all of them"
        :options="(l.list.entries ?? []).map((e) => ({ value: e.code, label: `${e.code} ${e.label}` }))"
      />
    </div>
    <p v-if="lists.length" class="quiet all">Only these can be entered then; more are added at any time.</p>
    <p v-else class="quiet">
      {{ entry.kind.plural }} choose from short lists only; see
      <RouterLink to="/tables/lists">all lists</RouterLink>.
    </p>
    <button v-if="lists.length" type="submit" class="button first" :disabled="tried.busy">Use these</button>
    <button type="button" class="plain" @click="emit('done')">
      {{ lists.length ? "Use all codes" : "Go on" }}
    </button>
  </form>
</template>

<style scoped>
.list {
  width: 225px;
}
p {
  margin: 0;
}
.all {
  flex-basis: 100%;
  order: 1;
}
</style>
