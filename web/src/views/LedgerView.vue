<script setup lang="ts">
import { computed, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, ask, type Posting, type PostingSummary } from "@/api/client";
import ActTold from "@/components/ActTold.vue";
import FamilyGlyph from "@/components/FamilyGlyph.vue";
import { families } from "@/families";
import { dayInWords, moment } from "@/format";
import { useCatalog } from "@/stores/catalog";
import { usePlan } from "@/stores/plan";
import type { Family } from "@/api/client";

const catalog = useCatalog();
const plan = usePlan();
const route = useRoute();
const router = useRouter();
const postings = ref<PostingSummary[]>();
const posting = ref<Posting>();
const problem = ref("");

async function load() {
  try {
    postings.value = await ask(api.GET("/postings"));
    const number = String(route.params.number ?? "");
    posting.value = number
      ? await ask(api.GET("/postings/{number}", { params: { path: { number } } }))
      : undefined;
    problem.value = "";
  } catch (error) {
    posting.value = undefined;
    problem.value = (error as Error).message;
  }
}
onMounted(load);
watch(() => route.params.number, load);

const fields = computed(
  () => posting.value?.outcome.fields.filter((f) => f.final.text || f.acts.length || f.entered.text) ?? [],
);
const made: Record<string, string> = {
  entered: "entered",
  stored: "as saved",
  default: "default",
  substitute: "substitute",
};

async function again() {
  if (!posting.value) return;
  const d = posting.value.document;
  await plan.take(d, `As ${posting.value.summary.number}`);
  await router.push({ path: "/plan", query: { company: d.company, type: d.type, day: d.day } });
}
</script>

<template>
  <div class="ledger-view">
    <section class="list">
      <div class="page-head">
        <h1>Practice ledger</h1>
        <span class="quiet">{{ postings?.length ?? 0 }} posted</span>
      </div>
      <p v-if="problem" class="empty" role="alert">{{ problem }}</p>
      <p v-else-if="postings && !postings.length" class="empty">
        Nothing is posted yet. Type a test document into <RouterLink to="/plan">the plan</RouterLink> and post
        it; it gets a number here and leaves no trace anywhere else.
      </p>
      <table v-else class="ledger">
        <thead>
          <tr>
            <th>Number</th>
            <th>Name</th>
            <th>Where</th>
            <th>Posted</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in postings" :key="p.number" :class="{ open: p.number === posting?.summary.number }">
            <td class="nowrap">
              <RouterLink :to="`/ledger/${p.number}`">{{ p.number }}</RouterLink>
            </td>
            <td class="title">
              {{ p.title }}<span v-if="p.record" class="quiet"> · change of {{ p.record }}</span>
            </td>
            <td class="quiet nowrap">{{ catalog.typeName(p.type) }} · {{ p.company }}</td>
            <td class="quiet nowrap">{{ moment(p.postedAt) }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <section v-if="posting" class="one" :aria-label="`Posting ${posting.summary.number}`">
      <div class="page-head">
        <h1>{{ posting.summary.number }}</h1>
        <span class="spring" />
        <button type="button" class="button" @click="again">Test it again on the plan</button>
      </div>
      <p class="quiet about">
        {{ catalog.typeName(posting.summary.type) }} in {{ catalog.companyName(posting.summary.company) }}, on
        {{ dayInWords(posting.summary.day) }}. Posted {{ moment(posting.summary.postedAt) }} by
        {{ posting.summary.postedBy }}.
      </p>
      <p v-for="(m, i) in posting.outcome.messages" :key="i" class="message">
        {{ catalog.field(m.field)?.label }}: {{ m.text }} <b v-if="m.reason">Reason given: {{ m.reason }}</b>
      </p>
      <table class="ledger">
        <thead>
          <tr>
            <th>Field</th>
            <th>Value</th>
            <th>Made by</th>
            <th>What the rules did</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in fields" :key="f.key">
            <td>{{ catalog.field(f.key)?.label }}</td>
            <td>
              <b>{{ f.final.text || "blank" }}</b>
              <div v-if="f.entered.text && f.entered.text !== f.final.text" class="quiet">
                entered {{ f.entered.text }}
              </div>
            </td>
            <td class="nowrap">
              <FamilyGlyph v-if="f.made in families" :family="f.made as Family" /> {{ made[f.made] ?? "" }}
            </td>
            <td>
              <details
                v-for="a in f.acts"
                :key="a.rule"
                class="act"
                :class="`family-${a.family}`"
                :open="a.did === 'acted' && f.acts.length < 3"
              >
                <summary>
                  <FamilyGlyph :family="a.family as Family" /> rule {{ a.rule }}, version {{ a.version }}:
                  {{ a.phrase }}
                </summary>
                <ActTold :act="a" />
              </details>
            </td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.ledger-view {
  display: flex;
  height: 100%;
}
.list {
  flex: 1;
  min-width: 400px;
  overflow: auto;
  padding: 16px 20px;
}
.one {
  flex: 1.5;
  overflow: auto;
  padding: 16px 20px;
  border-left: 1px solid var(--rule-strong);
  background: var(--paper-raised);
}
.one th {
  background: var(--paper-raised);
}
.title {
  font: 15px/1.35 var(--serif);
}
.nowrap {
  white-space: nowrap;
}
.open td {
  background: var(--select);
}
.about {
  margin: -6px 0 12px;
}
.message {
  border-left: 3px solid var(--validate);
  padding-left: 10px;
  margin: 0 0 10px;
}
.act summary {
  cursor: pointer;
  color: var(--hue);
}
.act + .act {
  margin-top: 3px;
}
</style>
