<script setup lang="ts">
import { recordPlace } from "@/api/address";
import RunProgress from "@/ui/RunProgress.vue";
import { computed, reactive, watch } from "vue";
import { RouterLink } from "vue-router";
import TroubleNote from "@/ui/TroubleNote.vue";
import MoreRows from "@/ui/MoreRows.vue";
import { count } from "@/queries/format";
import { expected, outcomes, type Load, type LoadSetup } from "@/queries/loads";
import { runStates, runTitles, useHits, works, type Run, type RunHit } from "@/queries/runs";

/** What the last run of a load came to: counts, what asks for a reason, and row by row. */
const props = defineProps<{ run: Run; load: Load; setup: LoadSetup }>();
const emit = defineEmits<{ change: [next: LoadSetup] }>();
const hits = useHits(() => props.run, 100);

const words = computed(() => (props.run.what === "load-check" ? expected : outcomes));
const order = [
  "refuse",
  "confirm",
  "stays",
  "unposted",
  "change",
  "add",
  "posted",
  "skip",
  "same",
  "restored",
  "withdrawn",
];
const counts = computed(() =>
  order.flatMap((what) => {
    const n = props.run.counts?.[what];
    return n ? [{ what, label: words.value[what]!, n }] : [];
  }),
);
const rejected = computed(() => (props.run.counts?.refuse ?? 0) + (props.run.counts?.confirm ?? 0));

/** The reasons as they are being typed, by rule. */
const reasons = reactive<Record<string, string>>({});
watch(
  () => props.setup.reasons,
  (kept) => Object.assign(reasons, kept),
  { immediate: true, deep: true },
);
function reason(rule: number) {
  emit("change", {
    ...props.setup,
    reasons: { ...props.setup.reasons, [String(rule)]: (reasons[String(rule)] ?? "").trim() },
  });
}
const missing = (rule: number) => !props.setup.reasons[String(rule)];
const changes = (h: RunHit) =>
  h.changes.map((c) => `${c.label} ${c.before.text || "blank"} → ${c.after.text || "blank"}`).join("; ");
</script>

<template>
  <p role="status" class="counts">
    <b>{{ runTitles[run.what] }}</b><span class="quiet">, {{ runStates[run.state] }}</span>
    <RunProgress v-if="works(run)" :run="run" />
    <template v-if="run.problem">: {{ run.problem }}</template>
    <br />
    <span v-for="c in counts" :key="c.what" class="one" :class="c.what"
      >{{ c.label }} <b>{{ count(c.n) }}</b></span
    >
  </p>
  <section v-if="run.asked?.length" class="asked" aria-label="Reasons">
    <div v-for="a in run.asked" :key="a.rule">
      <p>
        {{ a.text }}
        <span class="quiet">{{ count(a.count) }} {{ a.count === 1 ? "record" : "records" }}</span>
      </p>
      <input
        v-model="reasons[String(a.rule)]"
        class="line"
        :aria-label="`Reason for ${a.text}`"
        placeholder="The reason for all of them"
        @change="reason(a.rule)"
      />
      <span v-if="!missing(a.rule)" class="quiet">Saved: check or load again.</span>
    </div>
  </section>
  <p v-if="rejected && !works(run)">
    <a
      :href="`/api/v1/loads/${load.id}/refused`"
      :download="`refused-${load.name.replace(/\.[^.]*$/, '')}.csv`"
      >Save the {{ count(rejected) }} rows that were not accepted</a
    >
    <span class="quiet"> with the reason beside each, to correct and load again</span>
  </p>
  <TroubleNote :problem="hits.problem" :retry="hits.reload" />
  <table v-if="hits.data?.length" class="ledger">
    <thead>
      <tr>
        <th v-if="run.what !== 'take-back'" class="right">Row</th>
        <th>Result</th>
        <th>Record</th>
        <th>What</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(h, i) in hits.data" :key="i">
        <td v-if="run.what !== 'take-back'" class="right quiet">{{ h.row }}</td>
        <td class="nowrap" :class="h.what">
          <b>{{ words[h.what] }}</b>
        </td>
        <td>
          <RouterLink v-if="h.number && h.what !== 'withdrawn'" :to="recordPlace(h.kind, h.number)">{{
            h.number
          }}</RouterLink>
          <template v-else>{{ h.number }}</template> {{ h.title === h.number ? "" : h.title }}
        </td>
        <td>
          {{ h.said
          }}<span class="quiet"><template v-if="h.said && changes(h)">; </template>{{ changes(h) }}</span>
        </td>
      </tr>
    </tbody>
  </table>
  <MoreRows :pages="hits" what="rows" order="first" />
</template>

<style scoped>
.counts {
  margin: 0 0 10px;
}
.one {
  margin-right: 16px;
}
.refuse,
.stays,
.unposted {
  color: var(--refused);
}
.right {
  text-align: right;
}
.asked {
  border-left: 3px solid var(--asked, var(--ink));
  padding: 2px 12px;
  margin-bottom: 10px;
}
.asked p {
  margin: 4px 0;
}
.asked input {
  width: 60%;
}
td {
  vertical-align: top;
}
</style>
