<script setup lang="ts">
import { ElOption, ElOptionGroup, ElSelect } from "element-plus";
import { computed, ref } from "vue";
import { api, ask, type PostingSummary, type Proof, type RecordRow } from "@/api/client";
import { useCatalog } from "@/stores/catalog";
import { usePlan } from "@/stores/plan";

const catalog = useCatalog();
const plan = usePlan();
const records = ref<RecordRow[]>([]);
const proofs = ref<Proof[]>([]);
const postings = ref<PostingSummary[]>([]);
const loading = ref(false);

async function fetchAll(open: boolean) {
  if (!open) return;
  loading.value = true;
  const query = { kind: plan.scope.kind };
  try {
    [records.value, proofs.value, postings.value] = await Promise.all([
      ask(api.GET("/records", { params: { query } })),
      ask(api.GET("/proofs", { params: { query } })),
      ask(api.GET("/postings")),
    ]);
  } catch (error) {
    plan.problem = (error as Error).message;
  }
  loading.value = false;
}

const chosen = computed(() => plan.source);

async function choose(value: string) {
  const [what, id = ""] = value.split(":");
  if (what === "record") {
    const r = records.value.find((x) => x.number === id);
    if (!r) return;
    await plan.take(
      {
        kind: r.kind,
        company: r.company,
        type: r.type,
        day: plan.scope.day,
        entered: Object.fromEntries(Object.entries(r.values).map(([k, v]) => [k, { value: v }])),
        record: r.number,
      },
      `Change of ${r.number}`,
    );
  } else if (what === "proof") {
    const p = proofs.value.find((x) => x.id === Number(id));
    if (p) await plan.take(p.given, `Proof ${p.id}`);
  } else if (what === "posting") {
    try {
      const p = await ask(api.GET("/postings/{number}", { params: { path: { number: id } } }));
      await plan.take(p.document, `As ${p.summary.number}`);
    } catch (error) {
      plan.problem = (error as Error).message;
    }
  }
}
</script>

<template>
  <ElSelect
    class="picker"
    :model-value="chosen"
    filterable
    placement="top-end"
    :placeholder="plan.hasDocument ? `New ${catalog.kind?.kind.label.toLowerCase()}` : 'Take a document…'"
    :loading="loading"
    :fit-input-width="false"
    aria-label="Take a document"
    @visible-change="fetchAll"
    @change="choose"
  >
    <ElOptionGroup :label="`Change a saved ${catalog.kind?.kind.label.toLowerCase()}`">
      <ElOption
        v-for="r in records"
        :key="r.number"
        :value="`record:${r.number}`"
        :label="`${r.number} ${r.title}`"
      />
    </ElOptionGroup>
    <ElOptionGroup v-if="postings.length" label="As posted">
      <ElOption
        v-for="p in postings"
        :key="p.number"
        :value="`posting:${p.number}`"
        :label="`${p.number} ${p.title}`"
      />
    </ElOptionGroup>
    <ElOptionGroup label="From a proof">
      <ElOption v-for="p in proofs" :key="p.id" :value="`proof:${p.id}`" :label="`${p.id} ${p.name}`" />
    </ElOptionGroup>
  </ElSelect>
</template>

<style scoped>
.picker {
  width: 190px;
}
</style>
