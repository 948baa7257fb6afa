<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import type { Schemas } from "@/api/client";
import { count } from "@/queries/format";

/** What the check of a codicil found, in detail. */
const props = defineProps<{ check: Schemas["CodicilCheck"] }>();
const few = 5;
const allFailing = ref(false);
// On paper nothing is folded.
useEventListener(window, "beforeprint", () => (allFailing.value = true));
const failing = computed(() => props.check.failing.filter((f) => !f.before));
const brokenBefore = computed(() => props.check.failing.filter((f) => f.before));
type Noticed = Schemas["Noticed"] | undefined;
const share = (n: Noticed) => (n?.versions ? `${count(n.noticed)} of ${count(n.versions)}` : "");
</script>

<template>
  <ul v-if="check.problems.length" class="list">
    <li v-for="(p, i) in check.problems" :key="i" class="wrong">
      <b>{{ p.title }}</b> {{ p.message }}
    </li>
  </ul>
  <p v-else-if="!failing.length" class="good">
    Nothing stands in its way.
    {{
      check.proofs
        ? `All ${count(check.proofs - brokenBefore.length)} proofs of what it touches ${brokenBefore.length ? "that pass now pass with it" : "pass with it"}.`
        : "No proof is about what it touches."
    }}
  </p>
  <template v-if="failing.length">
    <p class="wrong">
      {{ count(failing.length) }} of {{ count(check.proofs) }} proofs of what it touches fail with it and pass
      without.
    </p>
    <ul class="list">
      <li v-for="f in allFailing ? failing : failing.slice(0, few)" :key="f.proof">
        <RouterLink :to="`/proofs?kind=${f.kind}&proof=${f.proof}`">{{ f.name }}</RouterLink>: {{ f.why }}
      </li>
    </ul>
    <button
      v-if="failing.length > few"
      type="button"
      class="plain"
      :aria-expanded="allFailing"
      @click="allFailing = !allFailing"
    >
      {{ allFailing ? "Fewer" : `All ${count(failing.length)}` }}
    </button>
  </template>
  <p v-if="brokenBefore.length" class="quiet">
    {{ count(brokenBefore.length) }} {{ brokenBefore.length === 1 ? "proof fails" : "proofs fail" }} with and
    without it.
  </p>
  <table v-if="check.rules.length" class="ledger" aria-label="Its rules and their proofs">
    <thead>
      <tr>
        <th>Rule</th>
        <th>Confirmed with it</th>
        <th>Without</th>
        <th class="right">Proofs</th>
        <th class="right">Wrong versions noticed</th>
        <th class="right">Without</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="r in check.rules" :key="r.rule">
        <td>
          <RouterLink :to="`/plan?rule=${r.rule}`">{{ r.name }}</RouterLink>
        </td>
        <td :class="{ wrong: r.state !== 'proved both ways' && r.state !== r.former }">{{ r.state }}</td>
        <td class="quiet">{{ r.former || "not in force" }}</td>
        <td class="right">{{ count(r.proofs) }}</td>
        <td class="right">{{ share(r.after) }}</td>
        <td class="right quiet">{{ share(r.before) }}</td>
      </tr>
    </tbody>
  </table>
  <template v-if="check.findings.length">
    <p>{{ check.findings.length === 1 ? "A finding is" : "Findings are" }} new with it:</p>
    <ul class="list">
      <li v-for="f in check.findings" :key="f.key">{{ f.message }}</li>
    </ul>
  </template>
</template>

<style scoped>
p {
  margin: 6px 0;
}
.list {
  margin: 4px 0;
  padding-left: 18px;
}
.good {
  color: var(--good);
}
.wrong {
  color: var(--refused);
}
.wrong b {
  margin-right: 4px;
}
.right {
  text-align: right;
}
@media print {
  .plain {
    display: none;
  }
}
table {
  margin: 10px 0;
}
</style>
