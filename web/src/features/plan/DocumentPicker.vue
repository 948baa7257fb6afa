<script setup lang="ts">
import { computed, ref } from "vue";
import { api, ask, type LinkOption } from "@/api/client";
import { documentOf } from "@/queries/trial";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { askOnce, useAsked } from "@/queries/client";
import SelectBox from "@/ui/SelectBox.vue";
import type { Choices } from "@/ui/choice";
import { newestOnly } from "@/queries/whileTyping";
import { usePlan } from "@/queries/plan";

const catalog = useCatalog();
const plan = usePlan();
const records = ref<LinkOption[]>([]);
const opened = ref(false);
const words = ref("");
const proofs = useAsked(
  () => (opened.value ? ["proofs", plan.scope.kind] : undefined),
  (signal) => api.GET("/proofs", { params: { query: { kind: plan.scope.kind } }, signal }),
);
const postings = useAsked(
  () => (opened.value ? ["ledger", "practice", "postings", "found", words.value] : undefined),
  (signal) => api.GET("/postings", { params: { query: { search: words.value || undefined } }, signal }),
);

const newest = newestOnly();
/** Records and postings are found on the server, proofs among those that are here; opening the list looks for all. */
async function search(typed: string) {
  opened.value = true;
  words.value = typed.toLowerCase();
  const params = { path: { kind: plan.scope.kind }, query: { search: typed, company: plan.scope.company } };
  await plan.guard(async () => {
    const found = await newest((signal) => ask(api.GET("/links/{kind}", { params, signal })));
    if (found) records.value = found;
  });
}
const fits = (text: string) => text.toLowerCase().includes(words.value);

const noun = computed(() => inSentence(catalog.kind?.kind.label));
const options = computed<Choices>(() => {
  const group = (label: string, found: { value: string; label: string }[]) =>
    found.length ? [{ value: label, label, options: found }] : [];
  return [
    ...group(
      `Change a saved ${noun.value}`,
      records.value.map((r) => ({ value: `record:${r.number}`, label: `${r.number} ${r.title}` })),
    ),
    ...group(
      "As posted",
      (postings.data?.postings ?? [])
        .filter((p) => p.kind === plan.scope.kind && fits(`${p.number} ${p.title}`))
        .map((p) => ({ value: `posting:${p.number}`, label: `${p.number} ${p.title}` })),
    ),
    ...group(
      "From a proof",
      (proofs.data ?? [])
        .filter((p) => fits(`${p.id} ${p.name}`))
        .map((p) => ({ value: `proof:${p.id}`, label: `${p.id} ${p.name}` })),
    ),
  ];
});

const chosen = computed(() => plan.source);

let turn = 0;
async function choose(value: string) {
  // While it is on its way another may be chosen, something be typed, or the plan be another.
  const mine = ++turn;
  const before = plan.document;
  const wanted = () => mine === turn && plan.document === before;
  const at = value.indexOf(":");
  const [what, id] = [value.slice(0, at), value.slice(at + 1)];
  await plan.guard(async () => {
    if (what === "record") {
      const params = { path: { kind: plan.scope.kind, number: id } };
      const fetch = () => api.GET("/records/{kind}/{number}", { params });
      const r = await askOnce(["record", plan.scope.kind, id], fetch);
      if (wanted()) await plan.take(documentOf(r), `Change of ${r.number}`);
    } else if (what === "proof") {
      const p = proofs.data?.find((x) => x.id === Number(id));
      if (p) await plan.take(p.given, `Proof ${p.id}`);
    } else if (what === "posting") {
      const fetch = () => api.GET("/postings/{number}", { params: { path: { number: id } } });
      const p = await askOnce(["ledger", "practice", "posting", id], fetch);
      if (wanted()) await plan.take(p.document, `As ${p.summary.number}`);
    }
  });
}
</script>

<template>
  <SelectBox
    class="picker"
    :model-value="chosen"
    :options="options"
    :search="search"
    :placeholder="plan.hasDocument ? `New ${noun}` : 'Load a document…'"
    :loading="proofs.loading && !proofs.data"
    label="Load a document"
    @change="choose"
  />
</template>

<style scoped>
.picker {
  width: 190px;
}
</style>
