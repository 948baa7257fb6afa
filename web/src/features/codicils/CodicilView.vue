<script setup lang="ts">
import { computed, nextTick, reactive, ref, watch } from "vue";
import { RouterLink, useRoute } from "vue-router";
import type { CodicilChange, Schemas } from "@/api/client";
import ChangeTold from "@/features/codicils/ChangeTold.vue";
import CodicilCheck from "@/features/codicils/CodicilCheck.vue";
import CodicilHead from "@/features/codicils/CodicilHead.vue";
import CodicilReplay from "@/features/codicils/CodicilReplay.vue";
import CodicilFiled from "@/features/codicils/CodicilFiled.vue";
import ReplayEffects from "@/features/codicils/ReplayEffects.vue";
import CodicilSignatures from "@/features/codicils/CodicilSignatures.vue";
import { useAttempt } from "@/queries/attempt";
import {
  askFiled,
  checkCodicil,
  codicilStates,
  forceUrgently,
  isOpen,
  moveCodicil,
  settleChange,
  signCodicil,
  takeCodicilBack,
  useCodicil,
  useShown,
  type CodicilState,
} from "@/queries/codicils";
import { count, moment } from "@/queries/format";
import { useSession } from "@/queries/session";
import { RequestError } from "@/api/client";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useGoOn } from "@/ui/goOn";

/** One codicil: what it changes and why, whether it may come into force, and what became of it. */
const route = useRoute();
const session = useSession();
const shown = useShown();
const tried = useAttempt();
const going = useGoOn();
const id = computed(() => Number(route.params.id));
const asked = useCodicil(() => id.value);
const codicil = computed(() => (asked.data?.id === id.value ? asked.data : undefined));
const open = computed(() => !!codicil.value && isOpen(codicil.value.state));
/** It changes something, or keeps proofs: so it may come into force. */
const holds = computed(() => !!(codicil.value?.contents.length || codicil.value?.proofs));
const mayChange = computed(
  () =>
    open.value && (["rules.change", "tables.change", "setup.change"] as const).some((p) => session.may(p)),
);
const mayForce = computed(() => open.value && session.may("rules.force"));
const works = computed(() => shown.codicil === id.value);
const editing = ref(false);

const check = ref<Schemas["CodicilCheck"]>();
const checking = useAttempt();
async function look() {
  await checking.attempt(async () => {
    const found = await checkCodicil(id.value);
    if (found.version === codicil.value?.version) check.value = found;
  });
}
/** What was found: now, or when it came into force. */
const found = computed(() => check.value ?? codicil.value?.checked);
const needs = computed(() => codicil.value?.owes ?? (open.value ? (check.value?.signing ?? []) : []));
const maySign = computed(
  () => (codicil.value?.state === "submitted" && !!check.value?.maySign) || !!codicil.value?.mayPay,
);
// It is checked while one works on it.
watch(
  [() => codicil.value?.id, () => codicil.value?.version],
  () => {
    check.value = undefined;
    if (open.value && holds.value) void look();
  },
  { immediate: true },
);

/** What is done once a reason is given, and why it is asked for. */
type Deed = "in force" | "urgent" | "sign" | "withdrawn";
const asks = reactive({ why: "", deed: "" as Deed | "", reason: "" });
const deeds: Record<Deed, string> = {
  "in force": "Put in force anyway",
  urgent: "Put in force before it is signed",
  sign: "Sign anyway",
  withdrawn: "Withdraw",
};
/** A reason that was given already stays: it is the same for what is urgent. */
const askFor = (deed: Deed, why = "") =>
  Object.assign(asks, { deed, why, reason: deed === "urgent" ? asks.reason : "" });
/** Others must sign before it comes into force: it may be urgent. */
const unsigned = ref(false);
async function attempt(deed: Deed | "", work: () => Promise<unknown>) {
  unsigned.value = false;
  await tried.attempt(async () => {
    try {
      await work();
      Object.assign(asks, { why: "", deed: "", reason: "" });
    } catch (error) {
      const code = error instanceof RequestError ? error.problem.code : "";
      unsigned.value = code === "needs-signatures" && deed === "in force";
      if (unsigned.value) asks.deed = "";
      if (code !== "needs-reason" || !deed) throw error;
      askFor(deed, (error as RequestError).problem.detail);
    }
  });
}
const move = (state: CodicilState, reason = "") =>
  attempt(state === "in force" || state === "withdrawn" ? state : "", () =>
    moveCodicil(codicil.value!, state, reason),
  );
const sign = (reason = "") => attempt("sign", () => signCodicil(codicil.value!, reason));
const urgently = (reason: string) => attempt("urgent", () => forceUrgently(codicil.value!, reason));
function goOn() {
  const { deed, reason } = asks;
  if (!deed || (!reason.trim() && deed !== "withdrawn")) return;
  if (deed === "sign") void sign(reason);
  else if (deed === "urgent") void urgently(reason);
  else void move(deed, reason);
}
const settle = (c: CodicilChange, keep: boolean) =>
  tried.attempt(() => settleChange(codicil.value!, c, keep));
const leftOut = ref<Schemas["LeftOut"][]>([]);
async function takeBack() {
  const goOnTo = going();
  await tried.attempt(async () => {
    const made = await takeCodicilBack(id.value);
    leftOut.value = made.leftOut ?? [];
    await goOnTo(`/codicils/${made.id}`);
  });
}
/** By what it is recognised on paper; all that is folded is printed. */
const filed = ref<Schemas["CodicilFiled"]>();
watch(id, () => (filed.value = undefined));
async function print() {
  await tried.attempt(async () => {
    filed.value = await askFiled(id.value);
    globalThis.dispatchEvent(new Event("beforeprint"));
    for (const folded of document.querySelectorAll<HTMLDetailsElement>(".codicil details"))
      folded.open = true;
    await nextTick();
    window.print();
  });
}
/** Where a thing is changed. */
function place(c: CodicilChange): string {
  const [kind, company, type] = c.key.split("/");
  const places: Record<CodicilChange["what"], string> = {
    rule: `/plan?rule=${c.key}`,
    standing: "/tables/standing",
    crosswalk: `/tables/crosswalks?crosswalk=${encodeURIComponent(c.key)}`,
    list: `/tables/lists?list=${encodeURIComponent(c.key)}`,
    series: "/tables/series",
    field: `/tables/fields?kind=${kind}`,
    layout: `/tables/layouts?kind=${kind}&company=${company ?? ""}&type=${type ?? ""}`,
    map: "/tables/maps",
  };
  return places[c.what];
}
const deedWords: Record<CodicilChange["deed"], string> = {
  added: "New",
  changed: "Changed",
  removed: "Removed",
};
</script>

<template>
  <div class="page codicil">
    <TroubleNote :problem="asked.problem" :retry="asked.reload" />
    <template v-if="codicil">
      <div class="page-head">
        <h1>
          Codicil {{ codicil.id }}<span class="comma">,</span> <span class="titled">{{ codicil.title }}</span>
        </h1>
        <span :class="['state', codicil.state.replace(' ', '-')]">{{ codicilStates[codicil.state] }}</span>
        <span class="spring" />
        <button v-if="mayChange && !editing" type="button" class="button" @click="editing = true">
          Change title and reason
        </button>
        <button
          v-if="mayChange && !works"
          type="button"
          class="button"
          @click="shown.show(`codicil-${codicil.id}`)"
        >
          Work with it
        </button>
        <RouterLink v-if="works" class="button" to="/plan">Open the plan with it</RouterLink>
        <button type="button" class="button" @click="print">Print</button>
      </div>
      <p class="facts quiet">
        Begun {{ moment(codicil.made.at) }} by {{ codicil.made.by
        }}<template v-if="codicil.askedBy">, asked for by {{ codicil.askedBy }}</template
        ><template v-if="codicil.submitted"
          >, submitted {{ moment(codicil.submitted.at) }} by {{ codicil.submitted.by }}</template
        ><template v-if="codicil.agreed"
          >, agreed {{ moment(codicil.agreed.at) }} by {{ codicil.agreed.by }}</template
        ><template v-if="codicil.ended"
          >, {{ codicil.state }} {{ moment(codicil.ended.at) }} by {{ codicil.ended.by }}</template
        ><template v-if="codicil.book">, version {{ count(codicil.book) }} of the rule book</template>.
        <template v-if="codicil.undoes"
          >Takes back
          <RouterLink :to="`/codicils/${codicil.undoes.id}`">codicil {{ codicil.undoes.id }}</RouterLink
          >.</template
        >
      </p>
      <p v-if="codicil.effective && open" class="dated">
        Comes into force {{ moment(codicil.effective)
        }}<template v-if="codicil.state !== 'agreed'">, once it is agreed to</template>.
      </p>
      <TroubleNote
        v-if="codicil.hindered && open"
        :problem="`It did not come into force: ${codicil.hindered}`"
      />
      <p v-else-if="codicil.hindered" class="quiet">{{ codicil.hindered }}</p>
      <CodicilHead v-if="editing" :codicil="codicil" @close="editing = false" />
      <p v-else-if="codicil.reason" class="reason">{{ codicil.reason }}</p>
      <template v-if="!editing">
        <details v-for="(t, i) in codicil.texts" :key="i" class="text">
          <summary>{{ t.title }}</summary>
          <p>{{ t.text }}</p>
        </details>
      </template>

      <p v-if="codicil.owed" class="owed" role="status">
        It came into force before it was signed by all who must. Their signatures are owed until
        {{ moment(codicil.owed) }}.
      </p>
      <section v-if="found?.lines.length" class="lines" aria-label="What a signer must know">
        <p v-for="(l, i) in found.lines" :key="i">{{ l }}</p>
      </section>

      <div v-if="mayChange || mayForce || maySign" class="deeds">
        <template v-if="asks.deed">
          <p v-if="asks.why" class="asks" role="alert">{{ asks.why }}.</p>
          <input
            v-model="asks.reason"
            class="line"
            aria-label="Reason"
            placeholder="Reason"
            @keydown.enter="goOn"
            @vue:mounted="({ el }: { el: HTMLElement }) => el.focus()"
          />
          <button
            type="button"
            class="button first"
            :disabled="tried.busy || (!asks.reason.trim() && asks.deed !== 'withdrawn')"
            @click="goOn"
          >
            {{ deeds[asks.deed] }}
          </button>
          <button type="button" class="button" @click="asks.deed = ''">Cancel</button>
        </template>
        <template v-else>
          <button
            v-if="mayForce && !(codicil.state === 'agreed' && codicil.effective)"
            type="button"
            class="button"
            :class="{ first: codicil.state === 'agreed' || (codicil.state === 'open' && !codicil.effective) }"
            :disabled="tried.busy || !holds"
            @click="move('in force')"
          >
            Put in force now
          </button>
          <button
            v-if="mayChange && codicil.state === 'open'"
            type="button"
            class="button"
            :class="{ first: !!codicil.effective }"
            :disabled="tried.busy || !holds"
            @click="move('submitted')"
          >
            Submit
          </button>
          <button v-if="maySign" type="button" class="button first" :disabled="tried.busy" @click="sign()">
            Sign
          </button>
          <button
            v-if="unsigned"
            type="button"
            class="button"
            :disabled="tried.busy"
            @click="askFor('urgent', 'It is not signed by all who must; they owe their signatures')"
          >
            It is urgent
          </button>
          <button
            v-if="mayChange && codicil.state !== 'open'"
            type="button"
            class="button"
            :disabled="tried.busy"
            @click="move('open')"
          >
            Back to work
          </button>
          <button
            v-if="mayChange"
            type="button"
            class="button"
            :disabled="tried.busy"
            @click="askFor('withdrawn')"
          >
            Withdraw
          </button>
        </template>
      </div>
      <div
        v-if="codicil.state === 'in force' && codicil.contents.length && session.may('rules.change')"
        class="deeds"
      >
        <button type="button" class="button" :disabled="tried.busy" @click="takeBack">Take it back</button>
      </div>
      <TroubleNote v-bind="tried.trouble" />
      <ul v-if="leftOut.length && codicil.undoes" class="left-out" role="status">
        <li v-for="l in leftOut" :key="l.title">Not taken back: {{ l.title }}, as {{ l.why }}.</li>
      </ul>

      <CodicilSignatures v-if="needs.length || codicil.signatures.length" :codicil="codicil" :needs="needs" />

      <section aria-label="Changes">
        <h2>
          Changes <span class="count">{{ codicil.contents.length }}</span>
        </h2>
        <p v-if="codicil.proofs" class="kept">
          With {{ count(codicil.proofs) }} {{ codicil.proofs === 1 ? "proof" : "proofs" }} that
          {{ codicil.proofs === 1 ? "counts" : "count" }} for everybody once it is in force.
        </p>
        <p v-else-if="!codicil.contents.length && works" class="empty">
          Nothing yet. Whatever you change now, in the
          <RouterLink to="/plan">plan</RouterLink> or the <RouterLink to="/tables">tables</RouterLink>, goes
          into this codicil, until you go back to the rules in force.
        </p>
        <p v-else-if="!codicil.contents.length" class="empty">Nothing.</p>
        <table v-if="codicil.contents.length" class="ledger changes">
          <tbody>
            <tr v-for="c in codicil.contents" :key="`${c.what} ${c.key}`">
              <td class="about">
                <b>{{ deedWords[c.deed] }}</b>
                <span class="quiet">{{ c.about }}</span>
              </td>
              <td>
                <RouterLink :to="place(c)">{{ c.title }}</RouterLink>
                <span v-if="c.what === 'rule'" class="quiet"> rule {{ c.key }}</span>
                <ChangeTold :change="c" />
                <p v-if="c.overtaken" class="overtaken" role="status">
                  Something else came into force since this was changed here.
                  <button v-if="mayChange" type="button" class="plain" @click="settle(c, true)">
                    Keep this change
                  </button>
                </p>
              </td>
              <td class="quiet nowrap by">{{ moment(c.changedAt) }} {{ c.changedBy }}</td>
              <td class="out">
                <button v-if="mayChange" type="button" class="plain" @click="settle(c, false)">
                  Take out
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </section>

      <section v-if="(open && holds) || codicil.checked" class="check" aria-label="Check">
        <h2>Check</h2>
        <TroubleNote v-bind="checking.trouble" :retry="look" />
        <p v-if="!found && checking.busy" class="quiet" role="status">Looking…</p>
        <CodicilCheck v-else-if="found" :check="found" />
      </section>
      <section v-if="!open && codicil.checked?.replay" aria-label="Existing records">
        <h2>Existing records, when it came into force</h2>
        <ReplayEffects :replay="codicil.checked.replay" />
      </section>
      <CodicilReplay
        v-if="open && codicil.contents.length"
        :codicil="codicil.id"
        :replay="check?.replay"
        @done="look"
      />
      <CodicilFiled v-if="filed" :codicil="codicil" :filed="filed" />
    </template>
    <p v-else-if="asked.problem"><RouterLink to="/codicils">All codicils</RouterLink></p>
    <p v-else class="quiet" role="status">Loading…</p>
  </div>
</template>

<style scoped>
h1 .comma {
  margin-left: -2px;
}
.titled {
  font-weight: 400;
}
.state {
  font-weight: 600;
}
.state.in-force {
  color: var(--good);
}
.facts,
.dated,
.reason {
  margin: 0 0 8px;
  max-width: 860px;
}
.reason {
  font: 400 17px/1.5 var(--serif);
}
.text {
  margin: 4px 0;
}
.text p {
  white-space: pre-wrap;
  max-width: 860px;
}
.deeds {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px;
  margin: 14px 0;
}
.deeds .asks {
  flex-basis: 100%;
  margin: 0;
  color: var(--refused);
}
.deeds input {
  width: 420px;
}
.codicil :deep(h2) {
  margin: 18px 0 4px;
}
.lines {
  max-width: 860px;
  margin: 10px 0;
  padding: 8px 14px;
  background: var(--paper-raised);
  border-left: 3px solid var(--rule-strong);
}
.lines p {
  margin: 2px 0;
}
.owed,
.overtaken {
  color: var(--refused);
}
.count {
  color: var(--ink-soft);
  font-weight: 400;
}
.changes td {
  vertical-align: top;
}
.about {
  width: 190px;
}
.about .quiet {
  display: block;
}
.by {
  width: 190px;
}
.out {
  width: 70px;
}
.overtaken {
  margin: 2px 0;
}
@media print {
  .deeds,
  .replay,
  .out,
  .page-head .button {
    display: none;
  }
  section {
    break-inside: avoid;
  }
}
</style>
