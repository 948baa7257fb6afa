<script setup lang="ts">
import { ref } from "vue";
import { RouterLink } from "vue-router";
import type { Schemas } from "@/api/client";
import ChangeTold from "@/features/codicils/ChangeTold.vue";
import { useThingHistory } from "@/queries/codicils";
import { moment } from "@/queries/format";
import TroubleNote from "@/ui/TroubleNote.vue";

/** What a table, field, layout or map has been: in which codicil, who, when, and what differs from before. */
const props = defineProps<{ what: Schemas["ThingKind"]; of: string }>();
const open = ref(false);
const asked = useThingHistory(() => (open.value ? { what: props.what, key: props.of } : undefined));
</script>

<template>
  <section class="history" aria-label="History">
    <button type="button" class="plain" :aria-expanded="open" @click="open = !open">
      {{ open ? "Close the history" : "History" }}
    </button>
    <template v-if="open">
      <TroubleNote :problem="asked.problem" :retry="asked.reload" />
      <p v-if="asked.data && !asked.data.length" class="quiet">
        No change of it is kept. Changes are kept from the release on that has codicils.
      </p>
      <div v-for="c in asked.data" :key="c.codicil.id" class="change">
        <p>
          <RouterLink :to="`/codicils/${c.codicil.id}`"
            >Codicil {{ c.codicil.id }}, {{ c.codicil.title }}</RouterLink
          >
          <span class="quiet"> {{ moment(c.changedAt) }} {{ c.changedBy }}</span>
        </p>
        <ChangeTold :change="c" />
      </div>
    </template>
  </section>
</template>

<style scoped>
.history {
  margin: 8px 0;
}
.change a {
  margin-right: 8px;
}
.change {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
p {
  margin: 0;
}
</style>
