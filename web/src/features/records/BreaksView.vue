<script setup lang="ts">
import { recordPlace } from "@/api/address";
import RunProgress from "@/ui/RunProgress.vue";
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import CorrectCell from "@/features/records/CorrectCell.vue";
import MoreRows from "@/ui/MoreRows.vue";
import ListExport from "@/ui/ListExport.vue";
import ListHead from "@/ui/ListHead.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import SeverityMark from "@/ui/SeverityMark.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";
import { useAttempt } from "@/queries/attempt";
import { countBreaks, useBreaks, useBroken, type BrokenRule } from "@/queries/breaks";
import { useCatalog } from "@/queries/catalog";
import { count, inSentence, moment } from "@/queries/format";
import { useRun, works } from "@/queries/runs";

/** Which saved records break the checks of today, by check; each is corrected in place by the same rules. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const tried = useAttempt();
const kind = computed(() => String(route.params.kind));
const entry = computed(() => catalog.entry(kind.value));
const breaks = useBreaks(() => kind.value);
const id = ref<number>();
const run = useRun(() => id.value);
watch(
  () => run.data && !works(run.data),
  (ended) => ended && void breaks.reload(),
);
async function start() {
  await tried.attempt(async () => (id.value = (await countBreaks(kind.value)).id));
}

const open = computed(() => breaks.data?.rules.find((r) => r.rule === Number(route.query.rule)));
const hits = useBroken(
  () => breaks.data?.run,
  () => open.value?.rule,
);
function show(rule: number) {
  void router.replace({ query: open.value?.rule === rule ? {} : { rule: String(rule) } });
}

const trend = (r: BrokenRule) => {
  if (r.before < 0) return "";
  if (r.before === r.broken) return "as before";
  return r.before > r.broken ? `${count(r.before - r.broken)} fewer` : `${count(r.broken - r.before)} more`;
};
const where = (r: BrokenRule) =>
  Object.entries(r.companies ?? {})
    .map(([c, n]) => `${c}: ${count(n)}`)
    .join(", ");
const list = useList<BrokenRule>(
  () => breaks.data?.rules ?? [],
  () => [
    { label: "Broken", right: true, value: (r) => r.broken },
    { label: "Check", value: (r) => r.sentence },
    { label: "Companies", value: where },
    { label: "Change", value: trend },
    { label: "Since", value: (r) => r.since ?? "" },
  ],
);
</script>

<template>
  <div v-if="entry" class="page">
    <div class="page-head">
      <h1 class="of">
        Checks broken by
        <SentencePicker
          :value="kind"
          label="Records"
          :options="catalog.kinds.map((k) => ({ value: k.kind.key, label: inSentence(k.kind.plural) }))"
          @change="router.push(`/breaks/${$event}`)"
        />
      </h1>
      <span class="quiet">{{
        breaks.data?.countedAt ? `counted ${moment(breaks.data.countedAt)}` : "not counted yet"
      }}</span>
      <span class="spring" />
      <ListExport v-if="breaks.data?.rules.length" name="Checks" :list="list" />
      <button type="button" class="button first" :disabled="tried.busy || works(run.data)" @click="start">
        Count now
      </button>
    </div>
    <TroubleNote :problem="breaks.problem" :retry="breaks.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="works(run.data)" role="status">
      <RunProgress :run="run.data!" />
    </p>
    <p v-if="breaks.data && !breaks.data.rules.length" class="empty">
      No check of {{ inSentence(entry.kind.plural) }} is in force.
      <RouterLink to="/plan">Write one on the plan</RouterLink>.
    </p>
    <table v-else-if="breaks.data" class="ledger">
      <ListHead :list="list" />
      <tbody>
        <template v-for="r in list.rows" :key="r.rule">
          <tr :class="{ open: r.rule === open?.rule }">
            <td class="right">
              <b v-if="r.broken">{{ count(r.broken) }}</b><span v-else class="quiet">{{
                breaks.data.run ? "none" : ""
              }}</span>
            </td>
            <td>
              <span class="check"
                ><SeverityMark :severity="r.severity" />
                <button
                  v-if="r.broken"
                  type="button"
                  class="plain"
                  :aria-expanded="r.rule === open?.rule"
                  @click="show(r.rule)"
                >
                  {{ r.sentence }}
                </button>
                <span v-else>{{ r.sentence }}</span></span
              >
            </td>
            <td class="quiet">{{ where(r) }}</td>
            <td class="nowrap quiet">{{ trend(r) }}</td>
            <td class="nowrap quiet">{{ r.since ? moment(r.since) : "" }}</td>
          </tr>
          <tr v-if="r.rule === open?.rule" class="within">
            <td></td>
            <td colspan="4">
              <table class="ledger">
                <tbody>
                  <tr v-for="h in hits.data ?? []" :key="h.number + h.said">
                    <td class="nowrap">
                      <RouterLink :to="recordPlace(h.kind, h.number)">{{ h.number }}</RouterLink>
                    </td>
                    <td>
                      {{ h.title }} <span class="quiet">{{ h.company }} {{ h.type }}</span>
                    </td>
                    <td v-for="c in h.changes" :key="`${c.field} ${c.line}`">
                      <CorrectCell :of="h" :change="c" />
                    </td>
                    <td class="quiet">{{ h.said }}</td>
                  </tr>
                </tbody>
              </table>
              <MoreRows :pages="hits" what="records" order="first" />
              <p>
                <a
                  :href="`/api/v1/runs/${breaks.data.run}/export?rule=${r.rule}`"
                  :download="`rule-${r.rule}-${kind}.csv`"
                  >Save these as CSV</a
                >
                <span class="quiet"> for somebody else to correct, and to load again</span> ·
                <RouterLink :to="`/plan?rule=${r.rule}`">Open the rule</RouterLink>
              </p>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.right {
  text-align: right;
}
.check {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
td {
  vertical-align: top;
}
</style>
