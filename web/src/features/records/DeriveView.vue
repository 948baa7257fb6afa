<script setup lang="ts">
import { recordPlace } from "@/api/address";
import RunProgress from "@/ui/RunProgress.vue";
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute } from "vue-router";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import MoreRows from "@/ui/MoreRows.vue";
import { choices } from "@/ui/choice";
import { listOf, numbersOf, selectionOf } from "@/features/records/listing";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { count, format, inSentence } from "@/queries/format";
import { startDeriving, stopRun, takeRunBack, useHits, useRun, works } from "@/queries/runs";

/** Derives values of many records again by the rules of now: seen first, then saved with a reason. */
const catalog = useCatalog();
const route = useRoute();
const tried = useAttempt();
const kind = computed(() => String(route.params.kind));
const entry = computed(() => catalog.entry(kind.value));
const numbers = computed(() => numbersOf(route.query));

/** The address says which records of a list, besides which fields. */
const filtered = computed(() => Object.keys(route.query).some((key) => key !== "fields"));

const fields = ref<string[]>(listOf(route.query, "fields"));
const typed = ref("keep");
const reason = ref("");
const except = ref(new Set<string>());
const id = ref<number>();
const run = useRun(() => id.value);
const hits = useHits(() => run.data, 200);

const options = computed(() =>
  (entry.value?.kind.fields ?? []).map((f) => ({ value: f.key, label: f.label })),
);
async function start(apply: boolean) {
  await tried.attempt(async () => {
    const begun = await startDeriving({
      kind: kind.value,
      selection: numbers.value.length ? undefined : selectionOf(route.query),
      numbers: numbers.value.length ? numbers.value.filter((n) => !except.value.has(n)) : undefined,
      except: [...except.value],
      fields: fields.value,
      typed: typed.value === "derive",
      format: { ...format },
      apply,
      reason: reason.value.trim() || undefined,
    });
    id.value = begun.id;
  });
}
watch([fields, typed], () => (id.value = undefined));
function tick(number: string) {
  const next = new Set(except.value);
  if (!next.delete(number)) next.add(number);
  except.value = next;
}
async function back() {
  await tried.attempt(async () => {
    id.value = (await takeRunBack(id.value!)).id;
  });
}
const of = (what: string) => run.data?.counts?.[what] ?? 0;
const seen = computed(() => run.data?.what === "derive-check" && !works(run.data));
const left = computed(() => of("change") + of("confirm") - except.value.size);
const words: Record<string, string> = {
  change: "Changes",
  confirm: "Asks",
  refuse: "Refused",
  restored: "Restored",
  stays: "Stays",
};
</script>

<template>
  <div v-if="entry" class="page">
    <div class="page-head">
      <h1>Derive {{ inSentence(entry.kind.plural) }} again</h1>
      <span class="quiet">{{
        numbers.length
          ? `${count(numbers.length)} chosen`
          : filtered
            ? "those of the list as it was filtered"
            : "all that are not posted"
      }}</span>
      <span class="spring" />
      <RouterLink class="button" :to="`/records/${kind}`">Back to the list</RouterLink>
    </div>
    <p class="sentence">
      The rules of now give again
      <SelectBox
        v-model="fields"
        class="fields"
        multiple
        label="Fields"
        placeholder="all values that rules gave"
        :options="options"
      />
      Values that a person entered are
      <SelectBox
        v-model="typed"
        class="typed"
        label="Entered values"
        :options="choices({ keep: 'kept', derive: 'given again, where rules do' })"
      />
      <button type="button" class="button first" :disabled="tried.busy" @click="start(false)">
        See what changes
      </button>
    </p>
    <TroubleNote v-bind="tried.trouble" />
    <template v-if="run.data">
      <p role="status" class="counts">
        <template v-if="works(run.data)"
          ><RunProgress :run="run.data" />
          <button type="button" class="plain" @click="stopRun(run.data.id)">Stop</button></template
        >
        <template v-else-if="run.data.what === 'take-back'"
          ><b>{{ count(of("restored")) }}</b> restored, <b>{{ count(of("stays")) }}</b> stay.</template
        >
        <template v-else>
          <b>{{ count(of("change")) }}</b> {{ seen ? "would change" : "changed" }},
          <b>{{ count(of("same")) }}</b> stay as they are<template v-if="of('confirm')"
            >, <b>{{ count(of("confirm")) }}</b> ask for a reason</template
          ><template v-if="of('refuse')"
            >, <b>{{ count(of("refuse")) }}</b> are refused and left</template
          >.
        </template>
        <template v-if="run.data.problem">{{ run.data.problem }}</template>
        <button
          v-if="run.data.writes && !works(run.data)"
          type="button"
          class="button"
          :disabled="tried.busy"
          @click="back"
        >
          Take back
        </button>
      </p>
      <form v-if="seen && left > 0" class="apply" @submit.prevent="start(true)">
        <input v-model="reason" class="line" aria-label="Reason" placeholder="Why they are derived again" />
        <button type="submit" class="button first" :disabled="tried.busy || !reason.trim()">
          Save {{ count(left) }} {{ left === 1 ? "record" : "records" }}
        </button>
      </form>
      <table v-if="hits.data?.length" class="ledger">
        <thead>
          <tr>
            <th v-if="seen"><span class="visually-hidden">Included</span></th>
            <th>Record</th>
            <th>Result</th>
            <th>Field</th>
            <th>Before</th>
            <th>After</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="h in hits.data" :key="h.number">
            <tr :class="{ out: except.has(h.number) }">
              <td v-if="seen" :rowspan="Math.max(1, h.changes.length)">
                <input
                  v-if="h.what !== 'refuse'"
                  type="checkbox"
                  :checked="!except.has(h.number)"
                  :aria-label="`Derive ${h.number} again`"
                  @change="tick(h.number)"
                />
              </td>
              <td :rowspan="Math.max(1, h.changes.length)">
                <RouterLink :to="recordPlace(h.kind, h.number)">{{ h.number }}</RouterLink> {{ h.title }}
                <span class="quiet">{{ h.company }} {{ h.type }}</span>
              </td>
              <td :rowspan="Math.max(1, h.changes.length)" :class="h.what">
                <b>{{ words[h.what] }}</b><template v-if="h.said">{{ ` ${h.said}` }}</template>
              </td>
              <td>{{ h.changes[0]?.label }}</td>
              <td class="quiet">{{ h.changes[0] ? h.changes[0].before.text || "blank" : "" }}</td>
              <td>{{ h.changes[0] ? h.changes[0].after.text || "blank" : "" }}</td>
            </tr>
            <tr
              v-for="c in h.changes.slice(1)"
              :key="`${c.field} ${c.line}`"
              :class="{ out: except.has(h.number) }"
            >
              <td>{{ c.label }}</td>
              <td class="quiet">{{ c.before.text || "blank" }}</td>
              <td>{{ c.after.text || "blank" }}</td>
            </tr>
          </template>
        </tbody>
      </table>
      <MoreRows :pages="hits" what="records" order="first" />
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
.fields {
  flex: 0 1 320px;
}
.typed {
  flex: 0 0 220px;
}
.apply {
  display: flex;
  gap: 8px;
  margin-bottom: 12px;
}
.apply input {
  flex: 0 1 420px;
}
.refuse b,
.stays b {
  color: var(--refused);
}
.out {
  opacity: 0.5;
}
td {
  vertical-align: top;
}
</style>
