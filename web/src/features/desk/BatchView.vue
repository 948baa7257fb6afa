<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed, ref } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import type { Schemas } from "@/api/client";
import StateMark from "@/features/records/StateMark.vue";
import BatchForm from "@/features/desk/BatchForm.vue";
import BatchProgress from "@/features/desk/BatchProgress.vue";
import { useAttempt } from "@/queries/attempt";
import { changeBatch, postBatch, settleDifference, useBatch, type BatchHead } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import { moment } from "@/queries/format";
import { useSession } from "@/queries/session";
import { useList } from "@/ui/list";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** A batch: how far it is, who keyed what, what differs, and that it is posted. */
const route = useRoute();
const router = useRouter();
const catalog = useCatalog();
const session = useSession();
const asked = useBatch(() => Number(route.params["id"]));
const batch = computed(() => asked.data);
const may = computed(() => !!batch.value && session.may("records.change", batch.value.kind));
const mayPost = computed(() => !!batch.value && session.may("records.post", batch.value.kind));
const tried = useAttempt();
const changing = ref(false);
const reason = ref("");
const refused = ref<Schemas["BatchRefused"][]>([]);

const differing = computed(() => (batch.value?.documents ?? []).filter((d) => d.differences.length));
const keyedAgain = (d: Schemas["BatchDocument"]) =>
  !d.second ? "not yet" : d.differences.length ? `${d.differences.length} differ` : "the same";
const documents = useList<Schemas["BatchDocument"]>(
  () => batch.value?.documents ?? [],
  () => [
    { label: "#", right: true, value: (d) => d.position },
    { label: "Document", value: (d) => d.number },
    { label: "Title", fileOnly: true, value: (d) => d.title },
    { label: "Amount", right: true, value: (d) => ({ exact: d.amount.value }) },
    { label: "State", value: (d) => d.state || "deleted" },
    { label: "Keyed", value: (d) => d.keyed.at },
    { label: "By", fileOnly: true, value: (d) => d.keyed.by },
    ...(batch.value?.head.second?.length
      ? [
          { label: "Keyed again", value: keyedAgain },
          {
            label: "Again by",
            fileOnly: true,
            value: (d: Schemas["BatchDocument"]) => d.second?.by ?? "",
          },
        ]
      : []),
  ],
);
const left = computed(() =>
  batch.value?.head.second?.length
    ? batch.value.documents.filter((d) => d.state === "kept" && !d.second).length
    : 0,
);
const needsReason = computed(() =>
  refused.value.some((r) => r.messages.some((m) => m.severity === "confirm")),
);

async function change(head: BatchHead, state?: Schemas["BatchState"]) {
  if (await tried.attempt(() => changeBatch(batch.value!, head, state))) changing.value = false;
}
async function post() {
  await tried.attempt(async () => {
    const answer = await postBatch(batch.value!, reason.value.trim());
    refused.value = answer.refused ?? [];
    if (!refused.value.length) reason.value = "";
    await asked.reload();
  });
}
async function settle(number: string, d: Schemas["BatchDifference"], take: "first" | "second") {
  await tried.attempt(async () => {
    const answer = await settleDifference(batch.value!, number, d, take);
    refused.value = answer.refused ?? [];
    await asked.reload();
  });
}
</script>

<template>
  <div class="page">
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <template v-if="batch">
      <div class="page-head">
        <h1>
          <RouterLink class="up" to="/desk/batches">Batches</RouterLink> {{ batch.head.title }}
          <span class="quiet of"
            >{{ catalog.entry(batch.kind)?.kind.plural }}, {{ catalog.typeName(batch.type, batch.kind) }},
            {{ catalog.companyName(batch.company) }}</span
          >
        </h1>
        <span class="spring" />
        <template v-if="may && batch.state === 'open'">
          <button type="button" class="button" @click="changing = !changing">Change</button>
          <button type="button" class="button" :disabled="tried.busy" @click="change(batch.head, 'closed')">
            Close
          </button>
          <button
            v-if="!batch.number"
            type="button"
            class="button"
            :disabled="tried.busy"
            @click="change(batch.head, 'withdrawn')"
          >
            Withdraw
          </button>
          <button
            v-if="left"
            type="button"
            class="button"
            @click="router.push(`/desk/${batch.kind}?batch=${batch.id}&again=1`)"
          >
            Key again
          </button>
          <button
            type="button"
            class="button"
            :class="{ first: !batch.agrees }"
            @click="router.push(`/desk/${batch.kind}?batch=${batch.id}`)"
          >
            Key
          </button>
          <button
            v-if="mayPost && batch.head.posting === 'together'"
            type="button"
            class="button"
            :class="{ first: batch.agrees }"
            :disabled="tried.busy || !batch.agrees"
            :title="batch.agrees ? '' : 'It is posted when it agrees'"
            @click="post"
          >
            Post together
          </button>
        </template>
        <button
          v-else-if="may"
          type="button"
          class="button"
          :disabled="tried.busy"
          @click="change(batch.head, 'open')"
        >
          Open again
        </button>
      </div>
      <TroubleNote v-bind="tried.trouble" />
      <BatchForm
        v-if="changing"
        :kind="batch.kind"
        :head="batch.head"
        :busy="tried.busy"
        said=""
        @save="change($event)"
        @cancel="changing = false"
      />
      <section v-if="refused.length" class="refused" role="alert" aria-label="Refused">
        <h2>Nothing was done: the rules do not accept this</h2>
        <ul>
          <li v-for="r in refused" :key="r.number">
            <RouterLink :to="recordPlace(batch.kind, r.number)">{{ r.number }}</RouterLink>
            {{
              r.messages
                .filter((m) => m.severity !== "advise")
                .map((m) => m.text)
                .join(" ")
            }}
          </li>
        </ul>
        <label v-if="needsReason"
          >Reason for all that ask for one
          <input v-model="reason" class="line" @keydown.enter="post" />
        </label>
      </section>
      <div class="parts">
        <BatchProgress :batch="batch" plain class="how" />
        <section v-if="batch.people.length" aria-label="People">
          <table class="ledger">
            <thead>
              <tr>
                <th>Who</th>
                <th class="right">Keyed</th>
                <th class="right">In an hour</th>
                <th class="right">Refused</th>
                <th v-if="batch.head.second?.length" class="right">Keyed again</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in batch.people" :key="p.by">
                <td>{{ p.by }}</td>
                <td class="right">{{ p.documents }}</td>
                <td class="right">{{ p.perHour || "–" }}</td>
                <td class="right">{{ p.refused }}</td>
                <td v-if="batch.head.second?.length" class="right">{{ p.second }}</td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
      <section v-if="differing.length" aria-label="Differences">
        <h2>What differs</h2>
        <table class="ledger">
          <thead>
            <tr>
              <th>Document</th>
              <th>Field</th>
              <th>First</th>
              <th>Again</th>
            </tr>
          </thead>
          <tbody>
            <template v-for="d in differing" :key="d.number">
              <tr v-for="(x, i) in d.differences" :key="`${x.field}/${x.line}`">
                <td>
                  <template v-if="!i"
                    ><RouterLink :to="recordPlace(batch.kind, d.number)">{{ d.number }}</RouterLink>
                    {{ d.title }}</template
                  >
                </td>
                <td>
                  {{ x.label }}<template v-if="x.line"> in line {{ x.line }}</template>
                </td>
                <td>
                  {{ x.first.text || "blank" }}
                  <button
                    v-if="may"
                    type="button"
                    class="plain"
                    :disabled="tried.busy"
                    :aria-label="`${x.label} of ${d.number}: the first is right`"
                    @click="settle(d.number, x, 'first')"
                  >
                    is right
                  </button>
                  <span class="quiet">{{ d.keyed.by }}</span>
                </td>
                <td>
                  {{ x.second.text || "blank" }}
                  <button
                    v-if="may"
                    type="button"
                    class="plain"
                    :disabled="tried.busy"
                    :aria-label="`${x.label} of ${d.number}: the second is right`"
                    @click="settle(d.number, x, 'second')"
                  >
                    is right
                  </button>
                  <span class="quiet">{{ d.second?.by }}</span>
                </td>
              </tr>
            </template>
          </tbody>
        </table>
      </section>
      <div class="head">
        <h2>Documents</h2>
        <span class="spring" />
        <ListExport :name="batch.head.title" :list="documents" />
      </div>
      <p v-if="!batch.documents.length" class="empty">Nothing is keyed yet.</p>
      <table v-else class="ledger">
        <ListHead :list="documents" />
        <tbody>
          <tr v-for="d in documents.rows" :key="d.number">
            <td class="right quiet">{{ d.position }}</td>
            <td>
              <RouterLink :to="recordPlace(batch.kind, d.number)">{{ d.number }}</RouterLink> {{ d.title }}
            </td>
            <td class="right">{{ d.amount.text }}</td>
            <td><StateMark v-if="d.state" :state="d.state" /><template v-else>deleted</template></td>
            <td>
              {{ moment(d.keyed.at) }} <span class="quiet">{{ d.keyed.by }}</span>
            </td>
            <td v-if="batch.head.second?.length">
              <span :class="{ quiet: !d.second }">{{ keyedAgain(d) }}</span>
              <span class="quiet"> {{ d.second?.by }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  align-items: baseline;
}
.head .spring {
  flex: 1;
}
.up {
  font-weight: 400;
}
.of {
  font: 13px var(--sans);
}
.parts {
  display: flex;
  gap: 40px;
  align-items: flex-start;
  margin: 8px 0;
}
.how {
  min-width: 240px;
  border: 0;
}
.right {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
h2 {
  font-size: 15px;
  margin: 14px 0 4px;
}
.refused h2 {
  color: var(--refused);
}
ul {
  margin: 0;
  padding-left: 18px;
}
</style>
