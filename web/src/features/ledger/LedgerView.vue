<script setup lang="ts">
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import { useList } from "@/ui/list";
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import { api, type LedgerName, type PostingSummary } from "@/api/client";
import BalanceTable from "@/features/ledger/BalanceTable.vue";
import JournalTable from "@/features/ledger/JournalTable.vue";
import PostingPane from "@/features/ledger/PostingPane.vue";
import MoreRows from "@/ui/MoreRows.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { change, useAsked, usePages } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { count, format, inSentence, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { useGoOn } from "@/ui/goOn";

const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const going = useGoOn();

/** The kinds of record that journals keep balances of: accounts, and partners by their kind. */
const balanced = computed(() => {
  const found = new Map<string, string>();
  for (const { kind } of catalog.kinds) {
    const linked = (key: string) => kind.fields.find((f) => f.key === key)?.kind;
    const account = kind.journal && linked(kind.journal.account);
    if (account) found.set("account", account);
    for (const partner of kind.journal?.partners ?? []) {
      const to = linked(partner);
      if (to) found.set(to, to);
    }
  }
  return found;
});
const posted = computed(() => catalog.kinds.map((e) => e.kind).filter((k) => k.posted));
const views = computed<Record<string, string>>(() => ({
  postings: "Postings",
  journal: "Journal",
  ...Object.fromEntries(
    [...balanced.value].map(([by, kind]) => [by, catalog.entry(kind)?.kind.plural ?? kind]),
  ),
}));
const ledger = computed<LedgerName>(() => (route.query.ledger === "books" ? "books" : "practice"));
const view = computed(() => {
  const wanted = String(route.query.view ?? "");
  return wanted in views.value ? wanted : "postings";
});
const search = ref("");

const path = () => ({ path: { ledger: ledger.value } });
const summary = useAsked(
  () => ["ledger", ledger.value, "summary"],
  (signal) => api.GET("/ledgers/{ledger}", { params: path(), signal }),
);
const words = refDebounced(search, 150);
const postings = usePages(
  () => (view.value === "postings" ? ["ledger", ledger.value, "postings", words.value] : undefined),
  (after, signal) => {
    const query = { ledger: ledger.value, after: after || undefined, search: words.value || undefined };
    return api.GET("/postings", { params: { query }, signal });
  },
  (page) => page.postings,
);
const entries = usePages(
  () => (view.value === "journal" ? ["ledger", ledger.value, "journal", { ...format }] : undefined),
  (after, signal) => {
    const query = { format, after: after || undefined };
    return api.GET("/ledgers/{ledger}/journal", { params: { ...path(), query }, signal });
  },
  (page) => page.entries,
);
const by = computed(() => (view.value === "postings" || view.value === "journal" ? undefined : view.value));
const balances = usePages(
  () => (by.value ? ["ledger", ledger.value, "balances", by.value, { ...format }] : undefined),
  (after, signal) => {
    const query = { by: by.value!, format, after: after || undefined };
    return api.GET("/ledgers/{ledger}/balances", { params: { ...path(), query }, signal });
  },
  (page) => page.balances,
);
const number = computed(() => String(route.params.number ?? ""));
const posting = useAsked(
  () => (number.value ? ["ledger", ledger.value, "posting", number.value, { ...format }] : undefined),
  (signal) =>
    api.GET("/postings/{number}", {
      params: { path: { number: number.value }, query: { ledger: ledger.value, format } },
      signal,
    }),
);
const asked = computed(() => [summary, postings, entries, balances, posting].filter((a) => a.problem));
const emptying = ref(false);

function go(next: Record<string, string>) {
  void router.push({ path: "/ledger", query: { ...route.query, ...next } });
}

watch([ledger, view], () => (emptying.value = false));

async function empty() {
  const goOn = going();
  await tried.attempt(async () => {
    await change(api.DELETE("/ledgers/{ledger}", { params: path() }));
    emptying.value = false;
    await goOn("/ledger");
  });
}

const list = useList<PostingSummary>(
  () => postings.data ?? [],
  () => [
    { label: "Number", value: (p) => p.number },
    { label: "Name", value: (p) => p.title },
    { label: "Where", value: (p) => `${catalog.typeName(p.type, p.kind)} · ${p.company}` },
    { label: "Posted", value: (p) => p.postedAt, head: "when" },
  ],
);
</script>

<template>
  <div class="ledger-view" :class="{ beside: posting.data }">
    <section class="list">
      <div class="page-head">
        <h1>{{ ledger === "books" ? "Books" : "Practice ledger" }}</h1>
        <span class="quiet">{{ count(summary.data?.postings ?? 0) }} posted</span>
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
        <template v-if="ledger === 'practice' && summary.data?.own">
          <template v-if="emptying">
            <span
              >{{ count(summary.data.own) }} of {{ count(summary.data.postings) }}
              {{ summary.data.postings === 1 ? "posting is" : "postings are" }} yours and would go; those of
              others stay, and so do proofs that point to one ({{ summary.data.proofs }} do).</span
            >
            <button type="button" class="button first" :disabled="tried.busy" @click="empty">
              Remove them
            </button>
            <button type="button" class="button" @click="emptying = false">Cancel</button>
          </template>
          <button v-else type="button" class="plain" @click="emptying = true">Remove my postings</button>
        </template>
        <ListExport v-if="view === 'postings' && !emptying" name="Postings" :list="list" />
        <input
          v-if="view === 'postings' && !emptying"
          v-model="search"
          class="line search"
          type="search"
          placeholder="Number, name"
          aria-label="Search postings"
        />
      </nav>
      <TroubleNote v-bind="tried.trouble" />
      <TroubleNote v-for="(a, i) in asked" :key="i" :problem="a.problem" :retry="a.reload" />
      <template v-if="view === 'postings'">
        <p v-if="postings.data && !postings.data.length && words" class="empty">
          No posting matches “{{ words }}”.
        </p>
        <p v-else-if="postings.data && !postings.data.length" class="empty">
          <template v-if="ledger === 'practice'">
            Nothing is posted yet. Type a test document into <RouterLink to="/plan">the plan</RouterLink> and
            post it; it gets a number here and leaves no trace anywhere else.
          </template>
          <template v-else>
            Nothing is posted yet. Enter a new
            <template v-for="(k, i) in posted" :key="k.key"
              >{{ i ? " or " : ""
              }}<RouterLink :to="`/records/${k.key}/new`">{{ inSentence(k.label) }}</RouterLink></template
            >
            and post it.
          </template>
        </p>
        <table v-else class="ledger">
          <ListHead :list="list" />
          <tbody>
            <tr
              v-for="p in list.rows"
              :key="p.number"
              :class="{ open: p.number === posting.data?.summary.number }"
            >
              <td class="nowrap">
                <RouterLink :to="{ path: `/ledger/${encodeURIComponent(p.number)}`, query: route.query }">{{
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
        <MoreRows :pages="postings" what="postings" />
      </template>
      <JournalTable
        v-else-if="view === 'journal'"
        :entries="entries.data ?? []"
        :ledger="ledger"
        :pages="entries"
      />
      <BalanceTable v-else :balances="balances.data ?? []" :kind="balanced.get(view) ?? view" />
      <MoreRows v-if="by" :pages="balances" what="balances" order="first" />
    </section>
    <PostingPane v-if="posting.data" :posting="posting.data" :ledger="ledger" />
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
  padding: 0 20px 16px;
}
/* The heads of tables stay at the top: no row shows above them. */
.list > .page-head {
  padding-top: 16px;
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
.beside :deep(.when),
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
