<script setup lang="ts">
import { computed, nextTick, ref } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import { useAttempt } from "@/queries/attempt";
import { beginCodicil, codicilStates, useCodicils, useShown, type CodicilState } from "@/queries/codicils";
import { count, moment } from "@/queries/format";
import { useSession } from "@/queries/session";
import { useList } from "@/ui/list";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useGoOn } from "@/ui/goOn";

/** The codicils, newest first. Which are shown stands in the address. */
const route = useRoute();
const router = useRouter();
const session = useSession();
const shown = useShown();
const tried = useAttempt();
const going = useGoOn();

const choices: Record<string, CodicilState[]> = {
  "": [],
  prepared: ["open", "submitted", "agreed"],
  open: ["open"],
  submitted: ["submitted"],
  agreed: ["agreed"],
  "in force": ["in force"],
  withdrawn: ["withdrawn"],
};
const which = computed({
  get: () => (typeof route.query.state === "string" && route.query.state in choices ? route.query.state : ""),
  set: (state: string) => void router.replace({ query: state ? { state } : {} }),
});
const page = 50;
const limit = ref(page);
const asked = useCodicils(
  () => choices[which.value]!,
  () => limit.value,
);
const rows = computed(() => asked.data?.codicils ?? []);
const list = useList<(typeof rows.value)[number]>(
  () => rows.value,
  () => [
    { label: "No.", right: true, value: (c) => c.id },
    { label: "Codicil", value: (c) => c.title },
    { label: "Reason", fileOnly: true, value: (c) => c.reason ?? "" },
    { label: "Changes", right: true, value: (c) => c.changes },
    { label: "State", value: (c) => codicilStates[c.state] },
    { label: "Asked for by", value: (c) => c.askedBy ?? "" },
    { label: "Begun", value: (c) => c.made.at },
    { label: "Begun by", fileOnly: true, value: (c) => c.made.by },
    { label: "In force, or withdrawn", value: (c) => c.ended?.at ?? "" },
    { label: "By", fileOnly: true, value: (c) => c.ended?.by ?? "" },
  ],
);
const mayBegin = computed(() =>
  (["rules.change", "tables.change", "setup.change"] as const).some((p) => session.may(p)),
);

const beginning = ref(false);
const head = ref({ title: "", askedBy: "", reason: "" });
const titleInput = ref<HTMLInputElement>();
function begin() {
  beginning.value = true;
  void nextTick(() => titleInput.value?.focus());
}
async function keep() {
  const goOn = going();
  await tried.attempt(async () => {
    const made = await beginCodicil(head.value);
    shown.show(`codicil-${made.id}`);
    await goOn(`/codicils/${made.id}`);
  });
}
</script>

<template>
  <div class="page codicils">
    <div class="page-head">
      <h1>Codicils</h1>
      <span class="quiet">Sets of changes of the rules that come into force together.</span>
      <span class="spring" />
      <SelectBox
        v-model="which"
        class="which"
        label="Codicils that are shown"
        :options="[
          { value: '', label: 'all codicils' },
          { value: 'prepared', label: 'all being prepared' },
          ...Object.entries(codicilStates).map(([value, label]) => ({
            value,
            label: 'only ' + label.toLowerCase(),
          })),
        ]"
      />
      <ListExport name="Codicils" :list="list" />
      <RouterLink class="button" to="/codicils/signing">Who must sign</RouterLink>
      <button v-if="mayBegin && !beginning" type="button" class="button first" @click="begin">
        Begin a codicil
      </button>
    </div>
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <form
      v-if="beginning"
      class="edit"
      aria-label="A new codicil"
      @submit.prevent="keep"
      @keydown.esc="beginning = false"
    >
      <div class="fields">
        <label class="wide">
          <span class="field-label">Title</span>
          <input ref="titleInput" v-model="head.title" class="line" required maxlength="200" />
        </label>
        <label>
          <span class="field-label">Asked for by</span>
          <input v-model="head.askedBy" class="line" maxlength="200" />
        </label>
        <label class="wide">
          <span class="field-label">Reason</span>
          <input v-model="head.reason" class="line" maxlength="5000" />
        </label>
      </div>
      <div class="buttons">
        <button type="submit" class="button first" :disabled="tried.busy || !head.title.trim()">
          Begin, and work with it
        </button>
        <button type="button" class="button" @click="beginning = false">Cancel</button>
      </div>
    </form>
    <p v-if="asked.data && !rows.length" class="empty">
      No codicil is
      {{ which ? (codicilStates[which as CodicilState] ?? "being prepared").toLowerCase() : "here" }}. Every
      change of a rule, table, field, layout or map makes one; begin one to prepare several changes together.
    </p>
    <table v-else-if="rows.length" class="ledger" aria-label="Codicils">
      <ListHead :list="list" />
      <tbody>
        <tr v-for="c in list.rows" :key="c.id" :class="{ open: c.id === shown.codicil }">
          <td class="right">{{ c.id }}</td>
          <td class="title">
            <RouterLink :to="`/codicils/${c.id}`">{{ c.title }}</RouterLink>
            <span v-if="c.reason" class="quiet reason">{{ c.reason }}</span>
          </td>
          <td class="right">{{ count(c.changes) }}</td>
          <td class="nowrap">
            <span :class="['state', c.state.replace(' ', '-')]">{{ codicilStates[c.state] }}</span>
            <span v-if="c.effective && c.state === 'agreed'" class="quiet">
              for {{ moment(c.effective) }}</span
            >
            <span v-if="c.owed" class="hindered"> signatures owed until {{ moment(c.owed) }}</span>
            <span v-if="c.hindered && c.state === 'open'" class="hindered" :title="c.hindered">
              did not come into force</span
            >
          </td>
          <td>{{ c.askedBy }}</td>
          <td class="quiet when">
            {{ moment(c.made.at) }} <span class="who">{{ c.made.by }}</span>
          </td>
          <td class="quiet when">
            <template v-if="c.ended"
              >{{ moment(c.ended.at) }} <span class="who">{{ c.ended.by }}</span></template
            >
          </td>
        </tr>
      </tbody>
    </table>
    <button
      v-if="asked.data?.more && limit < 200"
      type="button"
      class="button"
      :disabled="asked.loading"
      @click="limit += page"
    >
      Show more
    </button>
  </div>
</template>

<style scoped>
.which {
  width: 190px;
}
.title a {
  font-weight: 600;
}
.reason {
  display: block;
  max-width: 460px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.when {
  white-space: nowrap;
}
.who {
  display: block;
}
.state {
  font-weight: 600;
}
.state.in-force {
  color: var(--good);
}
.state.withdrawn {
  color: var(--ink-soft);
  font-weight: 400;
}
.hindered {
  display: block;
  color: var(--refused);
}
</style>
