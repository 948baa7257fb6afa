<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import { api, ask, type LedgerName, type Posting, type PostingSummary, type Schemas } from "@/api/client";
import BalanceTable from "@/features/ledger/BalanceTable.vue";
import JournalTable from "@/features/ledger/JournalTable.vue";
import PostingPane from "@/features/ledger/PostingPane.vue";
import { useAttempt } from "@/ui/attempt";
import { format, moment } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const { problem, busy, attempt } = useAttempt();

const views = {
  postings: "Postings",
  journal: "Journal",
  account: "Accounts",
  vendor: "Vendors",
  customer: "Customers",
};
type View = keyof typeof views;
const ledger = computed<LedgerName>(() => (route.query.ledger === "books" ? "books" : "practice"));
const view = computed<View>(() => {
  const wanted = String(route.query.view ?? "");
  return wanted in views ? (wanted as View) : "postings";
});
const search = ref("");

const postings = ref<PostingSummary[]>();
const posting = ref<Posting>();
const entries = ref<Schemas["JournalEntry"][]>([]);
const balances = ref<Schemas["Balance"][]>([]);
const summary = ref<Schemas["LedgerSummary"]>();
const emptying = ref(false);

function go(next: Record<string, string>) {
  void router.push({ path: "/ledger", query: { ...route.query, ...next } });
}

async function load() {
  emptying.value = false;
  const params = { path: { ledger: ledger.value } };
  await attempt(async () => {
    summary.value = await ask(api.GET("/ledgers/{ledger}", { params }));
    if (view.value === "postings")
      postings.value = await ask(api.GET("/postings", { params: { query: { ledger: ledger.value } } }));
    else if (view.value === "journal")
      entries.value = await ask(
        api.GET("/ledgers/{ledger}/journal", { params: { ...params, query: { format } } }),
      );
    else
      balances.value = await ask(
        api.GET("/ledgers/{ledger}/balances", { params: { ...params, query: { by: view.value, format } } }),
      );
  });
}
async function open() {
  posting.value = undefined;
  const number = String(route.params.number ?? "");
  if (!number) return;
  await attempt(async () => {
    const params = { path: { number }, query: { ledger: ledger.value, format } };
    posting.value = await ask(api.GET("/postings/{number}", { params }));
  });
}
watch(() => [ledger.value, view.value], load, { immediate: true });
watch(() => [ledger.value, route.params.number], open, { immediate: true });

async function empty() {
  const params = { path: { ledger: ledger.value } };
  if (!(await attempt(() => ask(api.DELETE("/ledgers/{ledger}", { params }))))) return;
  await router.push("/ledger");
  await load();
}

const words = computed(() => search.value.toLowerCase().split(/\s+/).filter(Boolean));
const found = computed(() =>
  (postings.value ?? []).filter((p) =>
    words.value.every((w) =>
      `${p.number} ${p.title} ${p.company} ${p.record ?? ""}`.toLowerCase().includes(w),
    ),
  ),
);
const shown = computed(() => found.value.slice(0, most.value));
const most = ref(300);
</script>

<template>
  <div class="ledger-view" :class="{ beside: posting }">
    <section class="list">
      <div class="page-head">
        <h1>{{ ledger === "books" ? "Books" : "Practice ledger" }}</h1>
        <span class="quiet">{{ summary?.postings ?? 0 }} posted</span>
        <span class="spring" />
        <div class="switch" role="group" aria-label="Ledger">
          <button
            type="button"
            class="button"
            :class="{ first: ledger === 'practice' }"
            @click="go({ ledger: 'practice' })"
          >
            Practice
          </button>
          <button
            type="button"
            class="button"
            :class="{ first: ledger === 'books' }"
            @click="go({ ledger: 'books' })"
          >
            Books
          </button>
        </div>
      </div>
      <nav class="views" aria-label="What to show">
        <button
          v-for="(name, key) in views"
          :key="key"
          type="button"
          class="plain"
          :aria-current="view === key ? 'page' : undefined"
          @click="go({ view: key })"
        >
          {{ name }}
        </button>
        <span class="spring" />
        <template v-if="ledger === 'practice' && summary?.own">
          <template v-if="emptying">
            <span
              >{{ summary.own }} of {{ summary.postings }}
              {{ summary.postings === 1 ? "posting is" : "postings are" }} yours and would go; those of others
              stay, and so do proofs that point to one ({{ summary.proofs }} do).</span
            >
            <button type="button" class="button first" :disabled="busy" @click="empty">Remove them</button>
            <button type="button" class="button" @click="emptying = false">Leave it</button>
          </template>
          <button v-else type="button" class="plain" @click="emptying = true">Remove my postings</button>
        </template>
        <input
          v-if="view === 'postings' && !emptying"
          v-model="search"
          class="line search"
          type="search"
          placeholder="Number, name"
          aria-label="Search postings"
        />
      </nav>
      <p v-if="problem" class="empty" role="alert">{{ problem }}</p>
      <template v-if="view === 'postings'">
        <p v-if="postings && !postings.length" class="empty">
          <template v-if="ledger === 'practice'">
            Nothing is posted yet. Type a test document into <RouterLink to="/plan">the plan</RouterLink> and
            post it; it gets a number here and leaves no trace anywhere else.
          </template>
          <template v-else>
            Nothing is posted yet. Enter an
            <RouterLink to="/records/accounting_document/new">accounting document</RouterLink>
            and post it.
          </template>
        </p>
        <table v-else class="ledger">
          <thead>
            <tr>
              <th>Number</th>
              <th>Name</th>
              <th>Where</th>
              <th class="when">Posted</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="p in shown" :key="p.number" :class="{ open: p.number === posting?.summary.number }">
              <td class="nowrap">
                <RouterLink :to="{ path: `/ledger/${p.number}`, query: route.query }">{{
                  p.number
                }}</RouterLink>
              </td>
              <td class="title">
                {{ p.title }}
                <span v-if="p.reverses" class="quiet"> · reverses {{ p.reverses }}</span>
                <span v-else-if="p.record && ledger === 'practice'" class="quiet">
                  · change of {{ p.record }}</span
                >
              </td>
              <td class="quiet nowrap">{{ catalog.typeName(p.type, p.kind) }} · {{ p.company }}</td>
              <td class="quiet nowrap when">{{ moment(p.postedAt) }}</td>
            </tr>
          </tbody>
        </table>
        <button v-if="found.length > shown.length" type="button" class="plain" @click="most += 300">
          Show more of the {{ found.length }}
        </button>
      </template>
      <JournalTable v-else-if="view === 'journal'" :entries="entries" :ledger="ledger" />
      <BalanceTable v-else :balances="balances" :by="view" />
    </section>
    <PostingPane v-if="posting" :posting="posting" :ledger="ledger" />
  </div>
</template>

<style scoped>
.ledger-view {
  display: flex;
  height: 100%;
}
.list {
  flex: 1;
  min-width: 420px;
  overflow: auto;
  padding: 16px 20px;
}
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
  min-height: 30px;
}
.views button {
  white-space: nowrap;
}
.views [aria-current] {
  font-weight: 600;
  text-decoration-color: currentcolor;
}
.spring {
  flex: 1;
}
.search {
  width: 170px;
}
.beside .when,
.beside .search {
  display: none;
}
.switch {
  display: flex;
}
.switch .button:first-child {
  border-radius: 3px 0 0 3px;
}
.switch .button:last-child {
  border-radius: 0 3px 3px 0;
  border-left: 0;
}
.title {
  font: 15px/1.35 var(--serif);
}
</style>
