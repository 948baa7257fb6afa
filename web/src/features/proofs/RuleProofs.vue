<script setup lang="ts">
import { computed, ref, toRef } from "vue";
import { RouterLink } from "vue-router";
import type { Suggestion } from "@/api/client";
import ConfirmMark from "@/features/proofs/ConfirmMark.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useConfirmation } from "@/features/proofs/confirmation";
import { usePlan } from "@/features/plan/plan";

/** What the proofs show of a rule, what they would miss, and documents that fill the gaps. */
const props = defineProps<{ rule: number; version: number }>();
const plan = usePlan();
const {
  found,
  suggestions,
  accepted,
  missing,
  complete,
  aside,
  open,
  problem,
  uses,
  count,
  busy,
  suggest,
  accept,
  skip,
  setAside,
} = useConfirmation(toRef(props, "rule"), () => [props.version, plan.kept?.id]);

const strength = computed(() => {
  const s = found.value?.strength;
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
  await setAside(asking.value, reason.value.trim());
  asking.value = "";
}
async function correct(s: Suggestion) {
  await plan.take(s.document, "A suggestion");
}
</script>

<template>
  <section class="proofs" aria-label="Proofs of the rule">
    <h3>Proofs</h3>
    <TroubleNote :problem="problem" :uses="uses" :count="count" />
    <p v-if="!found && !problem" class="quiet">Running them…</p>
    <template v-if="found">
      <p class="state" role="status">
        <ConfirmMark :state="found.state" words />
        <span class="quiet">
          · {{ found.reached }} of {{ found.goals.length }} shown<template v-if="strength !== undefined">
            · strength {{ strength }} %</template
          ></span
        >
        ·
        <RouterLink :to="`/proofs?rule=${rule}`"
          >{{ found.proofs.length }} {{ found.proofs.length === 1 ? "proof" : "proofs" }}</RouterLink
        >
      </p>
      <details v-if="missing.length" :open="missing.length < 8">
        <summary>No proof shows yet</summary>
        <ul>
          <li v-for="g in missing" :key="g.words">{{ g.words }}</li>
        </ul>
      </details>
      <details v-if="open.length" :open="open.length < 4">
        <summary>
          No proof notices if<template v-if="open.length > 3"> … ({{ open.length }})</template>
        </summary>
        <ul>
          <li v-for="u in open" :key="u">
            {{ u }}
            <form v-if="asking === u" class="aside" @submit.prevent="put">
              <input
                v-model="reason"
                class="line"
                maxlength="500"
                aria-label="Why it is set aside"
                placeholder="Why no proof need notice it"
                autofocus
                @keydown.esc.stop="asking = ''"
              />
              <button class="button" type="submit" :disabled="busy || !reason.trim()">Set aside</button>
            </form>
            <button v-else type="button" class="plain" @click="begin(u)">Set aside…</button>
          </li>
        </ul>
      </details>
      <details v-if="aside.length">
        <summary>Set aside, and still counted ({{ aside.length }})</summary>
        <ul>
          <li v-for="a in aside" :key="a.change">
            {{ a.change }}: <em>{{ a.reason }}</em> <span class="quiet">({{ a.by }})</span>
            <button type="button" class="plain" :disabled="busy" @click="setAside(a.change, '')">
              Take back
            </button>
          </li>
        </ul>
      </details>
      <p v-if="complete" class="quiet">
        Every part of it is shown both ways, and each of {{ found.strength?.mutants }} slightly wrong versions
        is noticed.
      </p>
      <div v-else class="deeds">
        <button type="button" class="button" :disabled="busy" @click="suggest">
          {{ busy && !suggestions ? "Looking…" : "Suggest proofs for that" }}
        </button>
        <button
          v-if="suggestions && suggestions.length > 1"
          type="button"
          class="button first"
          :disabled="busy"
          @click="accept(suggestions)"
        >
          Accept all {{ suggestions.length }}
        </button>
      </div>
      <p v-if="accepted" class="quiet">
        {{ accepted }} {{ accepted === 1 ? "proof was" : "proofs were" }} kept, marked until somebody has read
        {{ accepted === 1 ? "it" : "them" }}.
      </p>
      <p v-if="suggestions && !suggestions.length && !accepted && !complete" class="quiet">
        Nothing was found that shows more. What is left may be impossible, or needs records that are not
        there.
      </p>
      <article v-for="s in suggestions" :key="s.name" class="suggestion">
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
          <button type="button" class="button" :disabled="busy" @click="accept([s])">Accept</button>
          <button type="button" class="button" @click="correct(s)">Correct it on the plan</button>
          <button type="button" class="plain" @click="skip(s)">Skip</button>
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
