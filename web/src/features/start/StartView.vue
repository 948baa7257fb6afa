<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import StepByStep from "@/features/start/StepByStep.vue";
import FromSpreadsheet from "@/features/start/FromSpreadsheet.vue";
import FromBook from "@/features/start/FromBook.vue";
import { useAttempt } from "@/queries/attempt";
import { demoBeside } from "@/queries/start";
import TroubleNote from "@/ui/TroubleNote.vue";

/** The ways to begin with an empty application. Each leaves something that works; one can stop and go on. */
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const way = computed(() => String(route.query.way ?? ""));
const ways = [
  {
    key: "steps",
    title: "Step by step",
    about: "A company, what its records are, the first fields, and a first rule that is proved and in force.",
  },
  {
    key: "spreadsheet",
    title: "From a spreadsheet",
    about:
      "Its columns become fields, with types, lists and links read from the values; its rows are loaded.",
  },
  {
    key: "book",
    title: "From a book file",
    about: "Companies, kinds, tables, rules and proofs that were exported elsewhere.",
  },
];
function go(key: string) {
  void router.replace({ query: key ? { way: key } : {} });
}
const demo = ref("");
async function look() {
  await tried.attempt(async () => {
    demo.value = await demoBeside();
    globalThis.open(demo.value, "_blank", "noopener");
  });
}
</script>

<template>
  <div class="page start">
    <div class="page-head">
      <h1>
        <template v-if="way"
          ><button type="button" class="plain" @click="go('')">Begin</button>
          {{ ways.find((w) => w.key === way)?.title }}</template
        >
        <template v-else>Begin</template>
      </h1>
    </div>
    <TroubleNote v-bind="tried.trouble" />
    <StepByStep v-if="way === 'steps'" />
    <FromSpreadsheet v-else-if="way === 'spreadsheet'" />
    <FromBook v-else-if="way === 'book'" />
    <template v-else>
      <p class="lead">
        Codicil keeps the rules by which values are filled, computed and checked, and proves each rule before
        anybody meets it. Bring your own world in, in whichever way is nearest.
      </p>
      <ul class="ways">
        <li v-for="w in ways" :key="w.key">
          <button type="button" class="button" @click="go(w.key)">{{ w.title }}</button>
          <span>{{ w.about }}</span>
        </li>
        <li>
          <button type="button" class="button" :disabled="tried.busy" @click="look">
            Look at the demo beside
          </button>
          <span
            >A made-up group with rules, records and proofs. It opens in a tab of its own and has its own
            data; nothing of it comes in here.
            <a v-if="demo" :href="demo" target="_blank" rel="noopener">Open it again</a></span
          >
        </li>
      </ul>
      <p class="quiet">
        What you begin can be gone on with at any time, here or under
        <RouterLink to="/tables/companies">Tables</RouterLink>.
      </p>
    </template>
  </div>
</template>

<style scoped>
.start {
  max-width: 960px;
}
.lead {
  font: 17px/1.5 var(--serif);
  max-width: 640px;
}
.ways {
  list-style: none;
  margin: 18px 0;
  padding: 0;
}
.ways li {
  display: grid;
  grid-template-columns: 220px 1fr;
  gap: 18px;
  align-items: center;
  padding: 12px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
