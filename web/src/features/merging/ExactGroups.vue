<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import RunCounts from "@/features/runs/RunCounts.vue";
import MoreRows from "@/ui/MoreRows.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { choices } from "@/ui/choice";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { startMerge, useFound, type DuplicateGroup, type Preference } from "@/queries/duplicates";
import { count, moment } from "@/queries/format";
import { takeRunBack, useHits, useRun, works, type Run } from "@/queries/runs";

/** Exact duplicates, merged together after one look at the counts. */
const props = defineProps<{ kind: string; scan: Run }>();
const catalog = useCatalog();
const tried = useAttempt();
const prefer = ref<Preference>("used");
const except = ref(new Set<string>());
const reason = ref("");
const id = ref<number>();
const run = useRun(() => id.value);
const hits = useHits(() => run.data, 100);
const groups = useFound(
  () => props.scan.id,
  () => "exact",
  () => `${props.scan.state} ${run.data?.state}`,
);
watch(
  () => props.scan.id,
  () => {
    except.value = new Set();
    id.value = undefined;
  },
);
watch(prefer, () => (id.value = undefined));
const open = computed(() => (groups.data ?? []).filter((g) => g.state === "open"));
/** How many are to be merged: all that the scan found, less what is left out and what is done already. */
const left = computed(() => {
  const seen = groups.data ?? [];
  const done = seen.filter((g) => g.state !== "open" || except.value.has(g.place)).length;
  return Math.max(0, (props.scan.counts?.exact ?? 0) - done);
});
const seen = computed(() => run.data?.what === "merge-check" && !works(run.data));
function tick(place: string) {
  const next = new Set(except.value);
  if (!next.delete(place)) next.add(place);
  except.value = next;
  id.value = undefined;
}
async function start(apply: boolean) {
  await tried.attempt(async () => {
    const begun = await startMerge({
      kind: props.kind,
      scan: props.scan.id,
      except: [...except.value],
      prefer: prefer.value,
      apply,
      reason: reason.value.trim() || undefined,
    });
    id.value = begun.id;
  });
}
async function back() {
  await tried.attempt(async () => {
    id.value = (await takeRunBack(id.value!)).id;
  });
}
/** The record of a group that stays, as the server will choose it. */
function stays(g: DuplicateGroup): string {
  const best = [...g.records].sort((a, b) => {
    const older = (a.firstAt ?? "").localeCompare(b.firstAt ?? "");
    if (prefer.value === "oldest") return older || a.number.localeCompare(b.number);
    const used = b.uses - a.uses;
    const filled = b.filled - a.filled;
    const order = prefer.value === "complete" ? filled || used : used || filled;
    return order || older || a.number.localeCompare(b.number);
  });
  return best[0]?.number ?? "";
}
const words: Record<DuplicateGroup["state"], string> = {
  open: "",
  merged: "merged",
  different: "said to be different",
  gone: "no longer there",
};
</script>

<template>
  <div>
    <p v-if="groups.data && !groups.data.length" class="empty">None are exactly the same.</p>
    <template v-else-if="groups.data">
      <p class="sentence">
        Of each group stays
        <SelectBox
          v-model="prefer"
          class="prefer"
          label="Which one stays"
          :options="
            choices({
              used: 'the one that most records name',
              complete: 'the one with most values',
              oldest: 'the oldest',
            })
          "
        />
        What is blank in it is filled from the others.
        <button type="button" class="button first" :disabled="tried.busy || !left" @click="start(false)">
          See what happens
        </button>
      </p>
      <TroubleNote v-bind="tried.trouble" />
      <RunCounts v-if="run.data" :run="run.data" />
      <template v-if="run.data && !works(run.data)">
        <form v-if="seen && run.data.counts?.merge" class="sentence" @submit.prevent="start(true)">
          <input v-model="reason" class="line reason" aria-label="Reason" placeholder="Why they are merged" />
          <button type="submit" class="button first" :disabled="tried.busy || !reason.trim()">
            Merge {{ count(run.data.counts.merge) }} into others
          </button>
        </form>
        <button v-if="run.data.writes" type="button" class="button" :disabled="tried.busy" @click="back">
          Take back
        </button>
        <p
          v-for="h in hits.data?.filter(
            (h) => h.what === 'refuse' || h.what === 'names' || h.what === 'stays',
          )"
          :key="h.number + h.what + h.rule"
          :class="{ wrong: h.what !== 'names' }"
        >
          <RouterLink :to="h.rule ? `/plan?rule=${h.rule}` : recordPlace(h.kind, h.number)">{{
            h.rule ? h.title : h.number
          }}</RouterLink>
          {{ h.said }}
        </p>
      </template>
      <table class="ledger">
        <thead>
          <tr>
            <th><span class="visually-hidden">Merged</span></th>
            <th>Record</th>
            <th>Company</th>
            <th class="right">Named by</th>
            <th class="right">Values</th>
            <th>Since</th>
            <th>Result</th>
          </tr>
        </thead>
        <tbody
          v-for="g in groups.data"
          :key="g.place"
          :class="{ out: except.has(g.place) || g.state !== 'open' }"
        >
          <tr v-for="(r, i) in g.records" :key="r.number">
            <td v-if="i === 0" :rowspan="g.records.length">
              <input
                v-if="g.state === 'open'"
                type="checkbox"
                :checked="!except.has(g.place)"
                :aria-label="`Merge ${g.records.map((r) => r.number).join(' and ')}`"
                @change="tick(g.place)"
              />
            </td>
            <td>
              <RouterLink :to="recordPlace(kind, r.number)">{{ r.number }}</RouterLink>
              <span class="title">{{ r.title }}</span>
            </td>
            <td class="quiet">{{ catalog.companyName(r.company) }}</td>
            <td class="right">{{ count(r.uses) }}</td>
            <td class="right">{{ count(r.filled) }}</td>
            <td class="nowrap quiet">{{ r.firstAt ? moment(r.firstAt) : "" }}</td>
            <td>
              <template v-if="g.state !== 'open'">{{ words[g.state] }}</template>
              <b v-else-if="r.number === stays(g)">stays</b>
              <span v-else class="quiet">merged into it</span>
              <RouterLink
                v-if="g.state === 'open' && i === 0"
                class="beside"
                :to="{ path: `/merge/${kind}`, query: { numbers: g.records.map((r) => r.number) } }"
                >Side by side</RouterLink
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="!open.length" class="quiet" role="status">All that are shown are dealt with.</p>
      <MoreRows :pages="groups" what="groups" order="first" />
    </template>
  </div>
</template>

<style scoped>
.sentence {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
}
.prefer {
  flex: 0 0 280px;
}
.reason {
  flex: 0 1 340px;
}
.right {
  text-align: right;
}
.title {
  font: 15px/1.3 var(--serif);
  margin-left: 6px;
}
.beside {
  margin-left: 12px;
}
.out {
  color: var(--ink-soft);
}
.wrong {
  color: var(--refused);
}
tbody {
  border-bottom: 1px solid var(--rule-strong);
}
</style>
