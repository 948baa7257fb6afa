<script setup lang="ts">
import { computed, onUnmounted, ref, shallowRef, triggerRef, watch } from "vue";
import { RouterLink } from "vue-router";
import type { RuleChange, Schemas } from "@/api/client";
import { readLines } from "@/api/lines";

/** What a rule would do to the records that exist already: in numbers first, then one by one. */
const props = defineProps<{
  rule: number;
  version: number;
  open?: boolean;
  /** The rule as it is being changed; none: as it is kept. */
  change?: RuleChange;
}>();
const counts = ref<Schemas["Impact"]>();
const hits = shallowRef<Schemas["ImpactHit"][]>([]);
const problem = ref("");
const asked = ref(props.open);
let stopper: AbortController | undefined;

async function load() {
  stopper?.abort();
  const mine = (stopper = new AbortController());
  counts.value = undefined;
  hits.value = [];
  try {
    await readLines(
      `/rules/${props.rule}/impact`,
      { method: props.change ? "POST" : "GET", body: props.change, signal: mine.signal },
      (said) => {
        if (mine !== stopper) return;
        if ("looked" in (said as object)) counts.value = said as Schemas["Impact"];
        else hits.value.push(said as Schemas["ImpactHit"]);
      },
      () => triggerRef(hits),
    );
    problem.value = "";
  } catch (error) {
    if (!mine.signal.aborted) problem.value = (error as Error).message;
  }
}
watch(
  () => [asked.value, props.rule, props.version],
  () => {
    if (asked.value) void load();
  },
  { immediate: true },
);
onUnmounted(() => stopper?.abort());

/** As many as can be read here; the export has all. */
const most = 50;
const shown = computed(() => hits.value.slice(0, most));
const words = { refuse: "refuses", confirm: "asks", advise: "advises", change: "changes" };
</script>

<template>
  <section class="impact" aria-label="Existing records">
    <button v-if="!asked" type="button" class="plain ask" @click="asked = true">
      Effect on existing records
    </button>
    <template v-else>
      <h3>Existing records</h3>
      <p v-if="problem" role="alert">{{ problem }}</p>
      <p v-else-if="!counts" class="quiet">Looking…</p>
      <p v-else role="status">
        <template v-if="counts.refused || counts.changed"
          >Of {{ counts.looked }} in its scope it would refuse <b>{{ counts.refused }}</b> and change
          <b>{{ counts.changed }}</b> when they are saved next.
          <a :href="`/api/v1/rules/${rule}/impact/export`" :download="`rule-${rule}-records.csv`">Export</a>
        </template>
        <template v-else
          >None of {{ counts.looked }} in its scope would be refused or changed{{
            hits.length ? "; it advises on some" : ""
          }}.</template
        >
      </p>
      <ul v-if="shown.length">
        <li v-for="h in shown" :key="h.number" :class="h.what">
          <RouterLink :to="`/records/${h.kind}/${h.number}`">{{ h.number }}</RouterLink> {{ h.title }}
          <span class="quiet">{{ h.company }} {{ h.type }}<template v-if="h.posted">, posted</template></span
          ><br />
          <b>{{ words[h.what] }}</b>: {{ h.told }}
        </li>
      </ul>
      <p v-if="hits.length > most" class="quiet">and {{ hits.length - most }} more; the export has all.</p>
    </template>
  </section>
</template>

<style scoped>
.impact {
  margin: 12px 0 0;
}
h3 {
  font: italic 14px/1.4 var(--serif);
  margin: 0 0 4px;
}
p {
  margin: 0 0 6px;
}
.ask {
  padding-left: 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 260px;
  overflow: auto;
}
li {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
.refuse b {
  color: var(--refused);
}
</style>
