<script setup lang="ts">
import { nextTick, ref, useTemplateRef } from "vue";
import { RouterLink } from "vue-router";
import type { Family, Finding } from "@/api/client";
import FoundMark from "@/ui/FoundMark.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useAttempt } from "@/queries/attempt";
import { silence } from "@/queries/findings";
import { moment } from "@/queries/format";
import { usePlan } from "@/queries/plan";
import { useGoOn } from "@/ui/goOn";

/** One finding: what it is, what shows or excludes it, and what to do about it. */
const props = defineProps<{
  finding: Finding;
  /** The rule that is open beside it, which needs no link. */
  beside?: number;
}>();
const plan = usePlan();
const tried = useAttempt();
const going = useGoOn();

async function show() {
  const goOn = going();
  const { witness, field, family } = props.finding;
  await plan.take(witness!.document, "The document of a finding");
  if (field) plan.selected = { field, family: family as Family };
  await goOn({ path: "/plan", query: { ...plan.scope } });
}

const asking = ref(false);
const reason = ref("");
const input = useTemplateRef<HTMLInputElement>("input");
async function ask() {
  asking.value = true;
  reason.value = "";
  await nextTick();
  input.value?.focus();
}
function put() {
  if (!reason.value.trim()) return;
  void tried.attempt(async () => {
    await silence(props.finding, reason.value.trim());
    asking.value = false;
  });
}
</script>

<template>
  <article class="finding" :class="{ silenced: finding.silenced }" :data-code="finding.code">
    <p class="what"><FoundMark :silenced="!!finding.silenced" /> {{ finding.message }}</p>
    <ul v-if="finding.rules.length" class="rules">
      <li v-for="r in finding.rules.filter((one) => one.id !== beside)" :key="r.id">
        <RouterLink :to="`/plan?rule=${r.id}`">rule {{ r.id }}</RouterLink>
        <span class="quiet"> {{ r.sentence }}</span>
      </li>
    </ul>
    <template v-if="finding.witness">
      <p class="shown">
        <span class="quiet">Shown by {{ finding.witness.origin }} with </span
        >{{ finding.witness.entered.join("; ") || "nothing entered" }} <span class="quiet"> → </span
        >{{ finding.witness.result }}
      </p>
    </template>
    <ul v-if="finding.because.length" class="because" aria-label="Because">
      <li v-for="b in finding.because" :key="b">{{ b }}</li>
    </ul>
    <p v-if="finding.silenced" class="quiet">
      Silenced by {{ finding.silenced.by }}, {{ moment(finding.silenced.at) }}: “{{
        finding.silenced.reason
      }}”
    </p>
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="asking" class="ask">
      <input
        ref="input"
        v-model="reason"
        class="line"
        aria-label="Reason to leave it as it is"
        placeholder="Why it is right as it is"
        maxlength="500"
        @keydown.enter.prevent="put"
        @keydown.esc.stop.prevent="asking = false"
      />
      <button type="button" class="button" :disabled="!reason.trim() || tried.busy" @click="put">
        Silence
      </button>
      <button type="button" class="plain" @click="asking = false">Cancel</button>
    </p>
    <p v-else class="do">
      <button v-if="finding.witness" type="button" class="plain" @click="show">Show on the plan</button>
      <RouterLink v-if="finding.table" class="plain" :to="tableAt(finding)"
        >Open {{ finding.table.label }}</RouterLink
      >
      <button
        v-if="finding.silenced"
        type="button"
        class="plain"
        @click="tried.attempt(() => silence(finding, ''))"
      >
        Restore
      </button>
      <button v-else type="button" class="plain" @click="ask">Silence…</button>
    </p>
  </article>
</template>

<script lang="ts">
/** The screen of the table that a finding is about. */
export function tableAt(f: Finding): string {
  const { what, key } = f.table!;
  if (what === "crosswalk") return `/tables/crosswalks?crosswalk=${encodeURIComponent(key)}`;
  return what === "standing value" ? "/tables/standing" : "/tables/series";
}
</script>

<style scoped>
.finding {
  padding: 8px 0 10px;
  border-bottom: 1px solid var(--rule);
}
.finding p {
  margin: 0;
}
.what {
  font: 15px/1.35 var(--serif);
}
.silenced .what {
  color: var(--ink-soft);
}
.rules,
.because {
  margin: 2px 0;
  padding: 0 0 0 17px;
  list-style: none;
}
.rules .quiet {
  margin-left: 6px;
}
.because li::before {
  content: "because ";
  color: var(--ink-soft);
}
.because li + li::before {
  content: "and ";
}
.shown {
  padding-left: 17px;
}
.do,
.ask {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 2px 0 0 13px;
}
.ask .line {
  max-width: 360px;
}
</style>
