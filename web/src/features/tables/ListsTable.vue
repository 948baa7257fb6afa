<script setup lang="ts">
import { count } from "@/queries/format";
import { computed } from "vue";
import ListEditor from "@/features/tables/ListEditor.vue";
import { useLists, type CodeListSummary } from "@/queries/lists";
import { useOpen } from "@/features/tables/open";
import { useSession } from "@/queries/session";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";

/** The lists of codes that fields choose from. Which one is open stands in the address. */
const { key, open, editing, saved } = useOpen("list");
const all = useLists();
const list = useList<CodeListSummary>(
  () => all.data ?? [],
  () => [
    { label: "List", value: (l) => l.label },
    { label: "Key", value: (l) => l.key },
    { label: "Complete by", value: (l) => l.standard ?? "" },
    { label: "Entries", right: true, value: (l) => l.entries },
    { label: "In use", right: true, value: (l) => l.used },
    { label: "Fields", value: (l) => l.fields.map((f) => f.title).join(", ") },
  ],
);

const session = useSession();
const mayChange = computed(() => session.may("tables.change") && session.everywhere);
</script>

<template>
  <ListEditor v-if="key() !== undefined" :key="editing" :list="key()!" @close="open()" @saved="saved" />
  <template v-else>
    <div class="page-head">
      <h1>Choice lists</h1>
      <span class="quiet"
        >The codes that fields choose from, with what each company uses and calls them.</span
      >
      <span class="spring" />
      <ListExport name="Choice lists" :list="list" />
      <button v-if="mayChange" type="button" class="button" @click="open('')">Add a list</button>
    </div>
    <TroubleNote :problem="all.problem" :retry="all.reload" />
    <table class="ledger">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="l in list.rows" :key="l.key">
          <td>
            <button type="button" class="plain" @click="open(l.key)">{{ l.label }}</button>
            <div class="quiet">{{ l.note }}</div>
          </td>
          <td>
            <code>{{ l.key }}</code>
          </td>
          <td>{{ l.standard }}</td>
          <td class="right">{{ count(l.entries) }}</td>
          <td class="right">{{ l.used }}</td>
          <td class="fields">
            {{
              l.fields
                .slice(0, 3)
                .map((f) => f.title)
                .join(", ")
            }}<template v-if="l.fields.length > 3"> and {{ l.fields.length - 3 }} more</template>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="all.data && !all.data.length" class="empty">
      There is no list yet. Codes that several fields share belong here.
      <button v-if="mayChange" type="button" class="plain" @click="open('')">Add a list</button>
    </p>
  </template>
</template>

<style scoped>
.right {
  text-align: right;
}
td .plain {
  text-align: left;
}
.fields {
  color: var(--ink-soft);
}
</style>
