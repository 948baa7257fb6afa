<script setup lang="ts">
import { computed } from "vue";
import { RouterLink, useRouter } from "vue-router";
import BatchList from "@/features/desk/BatchList.vue";
import { useBatchList } from "@/features/desk/batchList";
import { useBatches } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Where keying begins: a kind, or a batch that is open. */
const catalog = useCatalog();
const session = useSession();
const router = useRouter();
const kinds = computed(() => catalog.kinds.filter((k) => session.may("records.change", k.kind.key)));
const open = useBatches(
  () => undefined,
  () => true,
);
const list = useBatchList(() => open.data ?? []);
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>Desk</h1>
      <span class="spring" />
      <RouterLink class="button" to="/desk/batches">All batches</RouterLink>
      <button type="button" class="button first" @click="router.push('/desk/batches?new=1')">
        Announce a batch
      </button>
    </div>
    <p class="quiet">Many documents are keyed here, one after another, without a mouse. What is keyed?</p>
    <ul class="kinds">
      <li v-for="k in kinds" :key="k.kind.key">
        <RouterLink :to="`/desk/${k.kind.key}`">{{ k.kind.plural }}</RouterLink>
      </li>
    </ul>
    <h2>Open batches</h2>
    <TroubleNote :problem="open.problem" :retry="open.reload" />
    <p v-if="open.data && !open.data.length" class="empty">
      No batch is open. Announce one where a pile of papers is keyed together: with their number and total, so
      that it shows what is missing.
    </p>
    <BatchList v-else :list="list" />
  </div>
</template>

<style scoped>
.kinds {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 22px;
  padding: 0;
  margin: 8px 0 18px;
}
.kinds li {
  list-style: none;
  font: 17px/1.4 var(--serif);
}
</style>
