<script setup lang="ts">
import { count } from "@/queries/format";
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import type { Suggestion } from "@/api/client";
import ConfirmMark from "@/features/proofs/ConfirmMark.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useConfirmation, useSuggestions } from "@/features/proofs/confirmation";
import { usePlan } from "@/queries/plan";

/** What the proofs show of a rule, what they would miss, and documents that fill the gaps. */
const props = defineProps<{ rule: number; version: number }>();
const plan = usePlan();
const confirmation = useConfirmation(
  () => props.rule,
  () => props.version,
);
const suggestions = useSuggestions(() => props.rule);

const strength = computed(() => {
  const s = confirmation.found?.strength;
  return s && s.mutants ? Math.floor((100 * s.noticed) / s.mutants) : undefined;
});
/** The wrong version that is being set aside, and why. */
const asking = ref("");
const reason = ref("");
function begin(change: string) {
  asking.value = change;
  reason.value = "";
}
async function put() {
  if (!reason.value.trim()) return;
  await confirmation.setAside(asking.value, reason.value.trim());
  asking.value = "";
}
async function correct(s: Suggestion) {
  await plan.take(s.document, "A suggestion");
}
</script>

<template>
  <section class="proofs" aria-label="Proofs of the rule">
    <h3>Proofs</h3>
    <TroubleNote :problem="confirmation.problem" :retry="confirmation.reload" />
    <TroubleNote v-bind="confirmation.trouble" />
    <TroubleNote v-bind="suggestions.trouble" />
    <p v-if="!confirmation.found && !confirmation.problem" class="quiet">Running them…</p>
    <template v-if="confirmation.found">
      <p class="state" role="status">
        <ConfirmMark :state="confirmation.found.state" words />
        <span class="quiet">
          · {{ count(confirmation.found.reached) }} of
          {{ count(confirmation.found.goals.length) }} shown<template v-if="strength !== undefined">
            · strength {{ strength }} %</template
          ></span
        >
        ·
        <RouterLink :to="`/proofs?rule=${rule}`"
          >{{ count(confirmation.found.proofs.length) }}
          {{ confirmation.found.proofs.length === 1 ? "proof" : "proofs" }}</RouterLink
        >
      </p>
      <details v-if="confirmation.missing.length" :open="confirmation.missing.length < 8">
        <summary>Not proved yet</summary>
        <ul>
          <li v-for="g in confirmation.missing" :key="g.words">{{ g.words }}</li>
        </ul>
      </details>
      <details v-if="confirmation.open.length" :open="confirmation.open.length < 4">
        <summary>
          No proof notices if<template v-if="confirmation.open.length > 3">
            … ({{ confirmation.open.length }})</template
          >
        </summary>
        <ul>
          <li v-for="u in confirmation.open" :key="u">
            {{ u }}
            <form v-if="asking === u" class="aside" @submit.prevent="put">
              <input
                v-model="reason"
                class="line"
                maxlength="500"
                aria-label="Reason to ignore it"
                placeholder="Why no proof needs to notice it"
                autofocus
                @keydown.esc.stop="asking = ''"
              />
              <button class="button" type="submit" :disabled="confirmation.busy || !reason.trim()">
                Ignore
              </button>
            </form>
            <button v-else type="button" class="plain" @click="begin(u)">Ignore…</button>
          </li>
        </ul>
      </details>
      <details v-if="confirmation.aside.length">
        <summary>Ignored, still counted ({{ confirmation.aside.length }})</summary>
        <ul>
          <li v-for="a in confirmation.aside" :key="a.change">
            {{ a.change }}: <em>{{ a.reason }}</em> <span class="quiet">({{ a.by }})</span>
            <button
              type="button"
              class="plain"
              :disabled="confirmation.busy"
              @click="confirmation.setAside(a.change, '')"
            >
              Stop ignoring
            </button>
          </li>
        </ul>
      </details>
      <p v-if="confirmation.complete" class="quiet">
        Every part is proved both ways, and each of {{ confirmation.found.strength?.mutants }} slightly wrong
        versions is noticed.
      </p>
      <div v-else class="deeds">
        <button type="button" class="button" :disabled="suggestions.busy" @click="suggestions.suggest">
          {{ suggestions.busy && !suggestions.list ? "Looking…" : "Suggest proofs for that" }}
        </button>
        <button
          v-if="suggestions.list && suggestions.list.length > 1"
          type="button"
          class="button first"
          :disabled="suggestions.busy"
          @click="suggestions.accept(suggestions.list)"
        >
          Accept all {{ suggestions.list.length }}
        </button>
      </div>
      <p v-if="suggestions.accepted" class="quiet">
        {{ suggestions.accepted }} {{ suggestions.accepted === 1 ? "proof was" : "proofs were" }} saved,
        marked until somebody has read {{ suggestions.accepted === 1 ? "it" : "them" }}.
      </p>
      <p
        v-if="suggestions.list && !suggestions.list.length && !suggestions.accepted && !confirmation.complete"
        class="quiet"
      >
        No more suggestions. What is left may be impossible, or needs records that do not exist.
      </p>
      <article v-for="s in suggestions.list" :key="s.name" class="suggestion">
        <p class="says">
          <template v-if="s.differs.length"
            >With <b>{{ s.differs.join(", ") }}</b>:
          </template>
          {{ s.result }}.
        </p>
        <p class="quiet from">Made from {{ s.origin }}.</p>
        <ul>
          <li v-for="g in s.shows" :key="g">shows: {{ g }}</li>
          <li v-for="n in s.notices" :key="n">would notice if {{ n }}</li>
        </ul>
        <div class="deeds">
          <button type="button" class="button" :disabled="suggestions.busy" @click="suggestions.accept([s])">
            Accept
          </button>
          <button type="button" class="button" @click="correct(s)">Correct it on the plan</button>
          <button type="button" class="plain" @click="suggestions.skip(s)">Skip</button>
        </div>
      </article>
    </template>
  </section>
</template>

<style scoped>
.proofs {
  margin: 14px 0 0;
  border-top: 1px solid var(--rule);
  padding-top: 8px;
}
h3 {
  font: italic 14px/1.4 var(--serif);
  margin: 0 0 4px;
}
p {
  margin: 0 0 6px;
}
ul {
  margin: 2px 0 8px;
  padding-left: 18px;
}
summary {
  cursor: pointer;
}
.aside {
  display: flex;
  gap: 6px;
}
.aside input {
  flex: 1;
}
.deeds {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 6px 0;
}
.suggestion {
  border-left: 3px solid var(--rule-strong);
  padding: 2px 0 2px 10px;
  margin: 10px 0;
}
.says {
  font: 15px/1.4 var(--serif);
  margin: 0;
}
.from {
  font-size: 12px;
}
</style>
