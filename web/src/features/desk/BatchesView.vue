<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import BatchForm from "@/features/desk/BatchForm.vue";
import BatchList from "@/features/desk/BatchList.vue";
import { useBatchList } from "@/features/desk/batchList";
import { useAttempt } from "@/queries/attempt";
import { beginBatch, useBatches, type BatchHead } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";
import { useSession } from "@/queries/session";
import ListExport from "@/ui/ListExport.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useGoOn } from "@/ui/goOn";

/** All batches, and where one is announced. */
const catalog = useCatalog();
const session = useSession();
const plan = usePlan();
const route = useRoute();
const router = useRouter();
const onlyOpen = computed(() => route.query["all"] !== "1");
const asked = useBatches(
  () => undefined,
  () => onlyOpen.value,
);
const list = useBatchList(() => asked.data ?? []);
const adding = computed(() => route.query["new"] === "1");
const may = computed(() => catalog.kinds.filter((k) => session.may("records.change", k.kind.key)));

const kind = ref("");
const company = ref("");
const type = ref("");
watch(
  [adding, () => catalog.catalog],
  () => {
    if (!adding.value || kind.value) return;
    kind.value = may.value.find((k) => k.kind.journal)?.kind.key ?? may.value[0]?.kind.key ?? "";
    company.value = plan.scope.company || (catalog.catalog?.companies[0]?.key ?? "");
  },
  { immediate: true },
);
watch(
  [kind, company],
  () => {
    const types = catalog.typesIn(company.value, kind.value);
    if (!types.some((t) => t.key === type.value)) type.value = types[0]?.key ?? "";
  },
  { immediate: true },
);
const blank = computed<BatchHead>(() => ({
  title: "",
  posting: catalog.entry(kind.value)?.kind.posted ? "together" : "by hand",
  second: [],
}));
const tried = useAttempt();
const going = useGoOn();
async function begin(head: BatchHead) {
  const goOn = going();
  await tried.attempt(async () => {
    const b = await beginBatch({ kind: kind.value, company: company.value, type: type.value }, head);
    if (await goOn({ path: "/desk/batches", replace: true }))
      await router.push(`/desk/${b.kind}?batch=${b.id}`);
  });
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1><RouterLink class="up" to="/desk">Desk</RouterLink> Batches</h1>
      <span class="spring" />
      <ListExport name="Batches" :list="list" />
      <RouterLink class="button" :to="onlyOpen ? '/desk/batches?all=1' : '/desk/batches'">{{
        onlyOpen ? "Closed ones too" : "Open ones only"
      }}</RouterLink>
      <RouterLink v-if="may.length" class="button first" to="/desk/batches?new=1"
        >Announce a batch</RouterLink
      >
    </div>
    <section v-if="adding" class="new">
      <h2>
        A batch of
        <SentencePicker
          :value="kind"
          label="Kind"
          :options="catalog.kindOptions(true)"
          @change="kind = $event"
        />
        of {{ catalog.entry(kind)?.kind.typeLabel.split(" ").pop()?.toLowerCase() }}
        <SentencePicker
          :value="type"
          label="Type"
          :options="catalog.typeOptions(company, kind)"
          @change="type = $event"
        />
        in
        <SentencePicker
          :value="company"
          label="Company"
          :options="catalog.companyOptions"
          @change="company = $event"
        />
      </h2>
      <BatchForm
        :key="kind"
        :kind="kind"
        :head="blank"
        :busy="tried.busy"
        :said="tried.trouble.problem"
        @save="begin"
        @cancel="router.push('/desk/batches')"
      />
    </section>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <p v-if="asked.data && !asked.data.length" class="empty">
      {{ onlyOpen ? "No batch is open." : "There is no batch yet." }} One is announced with the number and the
      total of a pile of papers, and shows while they are keyed what is missing.
    </p>
    <BatchList v-else :list="list" />
  </div>
</template>

<style scoped>
.new {
  margin: 0 0 20px;
  padding-bottom: 16px;
  border-bottom: 1px solid var(--rule-strong);
}
.new h2 {
  margin-bottom: 8px;
  display: flex;
  gap: 6px;
  align-items: baseline;
}
.up {
  font-weight: 400;
}
</style>
