<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api } from "@/api/client";
import { format, inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { askOnce, useAsked } from "@/queries/client";
import { useWhileTyping } from "@/queries/whileTyping";
import OverSheet from "@/ui/OverSheet.vue";
import { ownScreens, screens } from "@/app/screens";
import { useSession } from "@/queries/session";

const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const catalog = useCatalog();
const session = useSession();
const wanted = ref("");
const at = ref(0);
const kind = computed(() => catalog.kind?.kind.key);
const rules = useAsked(
  () => (kind.value && session.may("rules.read") ? ["rules", kind.value, { ...format }] : undefined),
  (signal) => api.GET("/rules", { params: { query: { kind: kind.value } }, signal }),
);

interface Place {
  label: string;
  what: string;
  to: string;
}

const places = computed<Place[]>(() => [
  ...[...screens, ...ownScreens]
    .filter((s) => !s.needs.length || s.needs.some((p) => session.may(p)))
    .map((s) => ({ ...s, what: "screen" })),
  ...catalog.kinds.map((k) => ({ label: k.kind.plural, what: "records", to: `/records/${k.kind.key}` })),
  ...catalog.kinds.map((k) => ({
    label: `New ${inSentence(k.kind.label)}`,
    what: "enter",
    to: `/records/${k.kind.key}/new`,
  })),
  ...(catalog.kind?.kind.fields ?? []).map((f) => ({
    label: f.label,
    what: "field",
    to: `/plan?field=${f.key}`,
  })),
  ...(rules.data ?? []).map((r) => ({ label: r.name, what: `rule ${r.id}`, to: `/plan?rule=${r.id}` })),
]);

/** About how many records are shown at once, of all kinds together. */
const mostRecords = 9;

/**
 * Records of every kind that fit, found on the server: first the one whose number was typed, then of every kind as many as have
 * room beside the others, and the list of the rest.
 */
const records = useWhileTyping(
  () => (wanted.value.trim().length < 2 ? undefined : wanted.value),
  async (search): Promise<{ search: string; places: Place[] }> => {
    const found = await Promise.all(
      catalog.kinds.map(async ({ kind }) => {
        const params = { path: { kind: kind.key }, query: { search } };
        const options = await askOnce(["links", kind.key, params.query], () =>
          api.GET("/links/{kind}", { params }),
        );
        return { kind, options };
      }),
    );
    const number = search.trim().toUpperCase();
    const fit = found
      .filter(({ options }) => options.length)
      .map(({ kind, options }) => ({
        kind,
        options: options.map((o) => ({
          label: `${o.number} ${o.title}`,
          what: inSentence(kind.label),
          to: recordPlace(kind.key, o.number),
          exact: o.number.toUpperCase() === number,
        })),
      }));
    const room = Math.max(1, Math.floor(mostRecords / fit.length));
    const places = fit.flatMap(({ kind, options }): Place[] => {
      const others = options.filter((o) => !o.exact);
      if (others.length <= room) return others;
      const to = `/records/${kind.key}?search=${encodeURIComponent(search.trim())}`;
      return [
        ...others.slice(0, room),
        { label: `All ${inSentence(kind.plural)} with “${search.trim()}”`, what: "list", to },
      ];
    });
    return { search, places: [...fit.flatMap(({ options }) => options.filter((o) => o.exact)), ...places] };
  },
);
/** The records that are shown are those of an earlier text. */
const late = computed(
  () => wanted.value.trim().length >= 2 && !records.problem && records.answer?.search !== wanted.value,
);
const named = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
  return places.value
    .filter((p) => words.every((w) => `${p.label} ${p.what}`.toLowerCase().includes(w)))
    .slice(0, 8);
});
const found = computed(() => [...named.value, ...(records.answer?.places ?? [])]);

/** The text whose first record was asked for with Enter before it was found. */
let owed: string | undefined;
function take() {
  if (late.value && at.value >= named.value.length) owed = wanted.value;
  else go(found.value[at.value]);
}
watch(late, (waiting) => {
  if (!waiting && owed === wanted.value && !records.problem) go(found.value[at.value]);
  owed = undefined;
});

/** Keeps the place that Enter would take in sight. */
const inView = (row: unknown) => (row as HTMLElement | null)?.scrollIntoView?.({ block: "nearest" });

function go(place?: Place) {
  if (!place) return;
  emit("close");
  void router.push(place.to);
}
</script>

<template>
  <OverSheet label="Go to" @close="emit('close')">
    <input
      v-model="wanted"
      class="line"
      autofocus
      aria-label="Go to a field, a rule, a record or a screen"
      placeholder="A field, a rule, a record or a screen"
      @input="at = 0"
      @keydown.down.prevent="at = Math.min(at + 1, found.length - 1)"
      @keydown.up.prevent="at = Math.max(at - 1, 0)"
      @keydown.enter.prevent="take"
    />
    <ul role="listbox" aria-label="Places">
      <li
        v-for="(place, i) in found"
        :key="place.to + place.label"
        :ref="i === at ? inView : undefined"
        role="option"
        :aria-selected="i === at"
        @click="go(place)"
      >
        <span>{{ place.label }}</span><span class="quiet">{{ place.what }}</span>
      </li>
      <li v-if="records.problem" class="wrong" role="alert">{{ records.problem }}</li>
      <li v-else-if="!found.length" class="quiet">{{ late ? "Looking…" : "No results." }}</li>
    </ul>
  </OverSheet>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 60vh;
  overflow: auto;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 5px 7px;
  cursor: pointer;
}
li span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li span:last-child {
  white-space: nowrap;
}
li[aria-selected="true"] {
  background: var(--select);
}
</style>
