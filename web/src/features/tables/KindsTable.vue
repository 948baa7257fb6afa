<script setup lang="ts">
import { computed, ref } from "vue";
import type { KindEntry } from "@/api/client";
import KindEditor from "@/features/tables/KindEditor.vue";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import { useRoute, useRouter } from "vue-router";

/** The kinds of records: those that come with the program, and one's own. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const session = useSession();
const mayChange = computed(() => session.may("setup.change") && session.everywhere);

const adding = ref(route.query.new !== undefined);
const open = computed(() => catalog.entry(String(route.query.kind ?? "")));
function edit(kind?: string) {
  adding.value = !kind;
  void router.replace({ query: kind ? { kind } : {} });
}
function close() {
  adding.value = false;
  void router.replace({ query: {} });
}

const has = (e: KindEntry) =>
  [
    e.kind.fields.some((f) => f.key.startsWith("lines.")) && "lines",
    e.kind.posted && "posted",
    e.kind.journal && "journal",
    e.kind.shared && "shared",
  ]
    .filter(Boolean)
    .join(", ");
const list = useList<KindEntry>(
  () => catalog.kinds,
  () => [
    { label: "Kind", value: (e) => e.kind.plural },
    { label: "Key", value: (e) => e.kind.key },
    { label: "Numbers", value: (e) => e.kind.prefix },
    { label: "Has", value: has },
    { label: "Fields", right: true, value: (e) => e.kind.fields.length },
    { label: "Types", right: true, value: (e) => e.types.length },
    { label: "From", value: (e) => (e.kind.own ? "made here" : "standard") },
  ],
);
</script>

<template>
  <KindEditor
    v-if="(open || adding) && catalog.catalog"
    :key="open?.kind.key ?? ''"
    :entry="open"
    @close="close"
    @saved="edit"
  />
  <template v-else>
    <div class="page-head">
      <h1>Kinds of records</h1>
      <span class="quiet">What records there are: those that come with Codicil, and your own.</span>
      <span class="spring" />
      <ListExport name="Kinds of records" :list="list" />
      <button v-if="mayChange" type="button" class="button" @click="edit()">Add a kind</button>
    </div>
    <table class="ledger">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="e in list.rows" :key="e.kind.key">
          <td>
            <button type="button" class="plain" @click="edit(e.kind.key)">{{ e.kind.plural }}</button>
          </td>
          <td>
            <code>{{ e.kind.key }}</code>
          </td>
          <td>
            <code>{{ e.kind.prefix }}</code>
          </td>
          <td>{{ has(e) }}</td>
          <td class="right">{{ e.kind.fields.length }}</td>
          <td class="right">{{ e.types.length }}</td>
          <td class="quiet">{{ e.kind.own ? "made here" : "standard" }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
.right {
  text-align: right;
}
</style>
