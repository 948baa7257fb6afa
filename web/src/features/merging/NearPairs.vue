<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import MergeSides from "@/features/merging/MergeSides.vue";
import MoreRows from "@/ui/MoreRows.vue";
import { useFound, type DuplicateGroup } from "@/queries/duplicates";
import { works, type Run } from "@/queries/runs";

/** Pairs that are almost the same, judged one by one. */
const props = defineProps<{ kind: string; scan: Run }>();
const route = useRoute();
const router = useRouter();
const pairs = useFound(
  () => props.scan.id,
  () => "near",
  () => (works(props.scan) ? props.scan.counts?.near : props.scan.state),
);
const place = computed(() => String(route.query.pair ?? ""));
const open = computed(() => {
  const all = pairs.data ?? [];
  return all.find((p) => p.place === place.value) ?? all.find((p) => p.state === "open");
});
const list = ref<HTMLElement>();
function show(p?: DuplicateGroup) {
  void router.replace({ query: { ...route.query, pair: p?.place } });
}
/** The next pair that nobody has judged. */
async function next() {
  const all = pairs.data ?? [];
  const at = all.findIndex((p) => p.place === open.value?.place);
  const rest = [...all.slice(at + 1), ...all.slice(0, Math.max(at, 0))];
  show(rest.find((p) => p.state === "open"));
  await focusOn();
}
/** The cursor stands on the pair that is shown, unless somebody is elsewhere. */
async function focusOn() {
  await nextTick();
  const at = document.activeElement;
  if (!at || at === document.body || at.closest(".near"))
    list.value?.querySelector<HTMLElement>("[aria-current]")?.focus();
}
// One that is judged makes room for the next.
watch(
  () => ({ place: open.value?.place, state: open.value?.state }),
  (now, before) => {
    if (now.place !== before.place) void focusOn();
    else if (before.state === "open" && now.state !== "open") void next();
  },
);
function onKey(event: KeyboardEvent) {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!step) return;
  event.preventDefault();
  const all = [...(list.value?.querySelectorAll<HTMLElement>("button.pair") ?? [])];
  const to = all[all.indexOf(document.activeElement as HTMLElement) + step];
  to?.focus();
  to?.click();
}
watch(
  () => props.scan.id,
  () => show(),
);
const words: Record<DuplicateGroup["state"], string> = {
  open: "",
  merged: "merged",
  different: "different",
  gone: "gone",
};
const asides: Record<string, string> = {
  "legal form": "another legal form",
  "word order": "words in another order",
  spelling: "accents, capitals or punctuation",
};
/** How alike two names are, and why. */
function why(p: DuplicateGroup): string {
  const parts = p.aside.map((a) => asides[a]!);
  if (p.changes)
    parts.unshift(`${p.changes} of ${p.letters} letters ${p.changes === 1 ? "differs" : "differ"}`);
  return parts.join(", ");
}
</script>

<template>
  <p v-if="pairs.data && !pairs.data.length" class="empty">None are similar.</p>
  <div v-else-if="pairs.data" class="near">
    <ol ref="list" class="pairs" aria-label="Pairs" @keydown="onKey">
      <li v-for="p in pairs.data" :key="p.place">
        <button
          type="button"
          class="pair"
          :class="{ done: p.state !== 'open' }"
          :aria-current="p.place === open?.place ? 'true' : undefined"
          @click="show(p)"
        >
          <span class="alike">{{ p.alike }} %</span>
          <span class="names">
            <span v-for="r in p.records" :key="r.number">{{ r.title }}</span>
            <span v-if="words[p.state]" class="quiet">{{ words[p.state] }}</span>
          </span>
        </button>
      </li>
      <MoreRows :pages="pairs" what="pairs" order="first" />
    </ol>
    <section v-if="open && open.records.length > 1" class="judged" aria-label="Side by side">
      <p class="why">
        <b>{{ open.alike }} % alike</b><template v-if="why(open)">: {{ why(open) }}</template>
      </p>
      <MergeSides :kind="kind" :numbers="open.records.map((r) => r.number)">
        <button type="button" class="button" @click="next">Later</button>
      </MergeSides>
    </section>
    <p v-else class="quiet" role="status">
      {{ open ? "These are one record by now." : "All that are shown are dealt with." }}
    </p>
  </div>
</template>

<style scoped>
.near {
  display: flex;
  gap: 20px;
  align-items: flex-start;
}
.pairs {
  flex: 0 0 250px;
  list-style: none;
  margin: 0;
  padding: 0;
}
.pair {
  display: flex;
  gap: 8px;
  width: 100%;
  text-align: left;
  border: 0;
  border-bottom: 1px solid var(--rule);
  background: none;
  font: inherit;
  color: inherit;
  padding: 5px 6px;
  cursor: pointer;
}
.pair[aria-current] {
  background: var(--select);
}
.alike {
  flex: 0 0 44px;
  color: var(--ink-soft);
}
.names {
  display: flex;
  flex-direction: column;
  font: 14px/1.3 var(--serif);
}
.done .names {
  color: var(--ink-soft);
}
.judged {
  flex: 1;
  min-width: 0;
}
.why {
  margin: 0 0 8px;
}
</style>
