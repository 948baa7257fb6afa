<script setup lang="ts">
import { ElOption, ElOptionGroup, ElSelect } from "element-plus";
import { computed, ref } from "vue";
import { api, ask, type LinkOption, type PostingSummary, type Proof } from "@/api/client";
import { documentOf } from "@/features/records/trial";
import { inSentence } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/features/plan/plan";

const catalog = useCatalog();
const plan = usePlan();
const records = ref<LinkOption[]>([]);
const proofs = ref<Proof[]>([]);
const postings = ref<PostingSummary[]>([]);
const loading = ref(false);

function find(search: string): Promise<LinkOption[]> {
  const params = { path: { kind: plan.scope.kind }, query: { search, company: plan.scope.company } };
  return ask(api.GET("/links/{kind}", { params }));
}

const wanted = ref("");
/** Records are found on the server, proofs and postings among those that are here. */
async function search(words: string) {
  wanted.value = words.toLowerCase();
  records.value = await find(words).catch(() => []);
}
const fits = (text: string) => text.toLowerCase().includes(wanted.value);

async function fetchAll(open: boolean) {
  if (!open) return;
  loading.value = true;
  const query = { kind: plan.scope.kind };
  try {
    [records.value, proofs.value, postings.value] = await Promise.all([
      find(""),
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
    try {
      const params = { path: { kind: plan.scope.kind, number: id } };
      const r = await ask(api.GET("/records/{kind}/{number}", { params }));
      await plan.take(documentOf(r), `Change of ${r.number}`);
    } catch (error) {
      plan.problem = (error as Error).message;
    }
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
    remote
    :remote-method="search"
    placement="top-end"
    :placeholder="plan.hasDocument ? `New ${inSentence(catalog.kind?.kind.label)}` : 'Take a document…'"
    :loading="loading"
    :fit-input-width="false"
    aria-label="Take a document"
    @visible-change="fetchAll"
    @change="choose"
  >
    <ElOptionGroup :label="`Change a saved ${inSentence(catalog.kind?.kind.label)}`">
      <ElOption
        v-for="r in records"
        :key="r.number"
        :value="`record:${r.number}`"
        :label="`${r.number} ${r.title}`"
      />
    </ElOptionGroup>
    <ElOptionGroup v-if="postings.length" label="As posted">
      <ElOption
        v-for="p in postings.filter((x) => x.kind === plan.scope.kind && fits(`${x.number} ${x.title}`))"
        :key="p.number"
        :value="`posting:${p.number}`"
        :label="`${p.number} ${p.title}`"
      />
    </ElOptionGroup>
    <ElOptionGroup label="From a proof">
      <ElOption
        v-for="p in proofs.filter((x) => fits(`${x.id} ${x.name}`))"
        :key="p.id"
        :value="`proof:${p.id}`"
        :label="`${p.id} ${p.name}`"
      />
    </ElOptionGroup>
  </ElSelect>
</template>

<style scoped>
.picker {
  width: 190px;
}
</style>
