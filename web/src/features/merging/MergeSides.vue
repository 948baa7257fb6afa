<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { computed, reactive, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import RunCounts from "@/features/runs/RunCounts.vue";
import SelectBox from "@/ui/SelectBox.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { choices } from "@/ui/choice";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import {
  differing,
  sayDifferent,
  startMerge,
  usePreviewedMerge,
  type Preference,
} from "@/queries/duplicates";
import { count, inSentence, moment } from "@/queries/format";
import { takeRunBack, useHits, useRun, works } from "@/queries/runs";

/** Records side by side: which one stays, which values stand, what that does; then they are merged, or said to be different. */
const props = defineProps<{ kind: string; numbers: string[]; prefer?: Preference }>();
const catalog = useCatalog();
const tried = useAttempt();

const survivor = ref("");
const values = reactive<Record<string, string>>({});
const lines = ref<"survivor" | "merged" | "both">("survivor");
const reason = ref("");
const said = ref(false);
const all = ref(false);
const id = ref<number>();
const run = useRun(() => id.value);
const hits = useHits(() => run.data, 50);
watch(
  () => `${props.kind} ${props.numbers.join(" ")}`,
  () => {
    survivor.value = "";
    for (const key of Object.keys(values)) delete values[key];
    lines.value = "survivor";
    reason.value = "";
    said.value = false;
    id.value = undefined;
  },
);

const preview = usePreviewedMerge(() =>
  id.value || props.numbers.length < 2
    ? undefined
    : {
        kind: props.kind,
        numbers: props.numbers,
        survivor: survivor.value || undefined,
        prefer: props.prefer,
        values: { ...values },
        lines: lines.value,
      },
);
const shown = computed(() => preview.data);
const kept = computed(() => survivor.value || shown.value?.survivor || "");
const others = computed(() => props.numbers.filter((n) => n !== kept.value));
const rows = computed(() =>
  (shown.value?.fields ?? []).filter((f) => f.differs || (all.value && f.values.some((v) => v.text))),
);
const differing_ = computed(() => (shown.value?.fields ?? []).filter((f) => f.differs).length);
/** What hinders the merge as such keeps it from the rules: nothing can be said of what it becomes. */
const judged = computed(
  () => !shown.value?.hindrances.some((h) => !h.use) || shown.value.fields.some((f) => f.result.text),
);
/** A value with what differs from that of the record that stays. */
function parts(texts: { text: string }[], i: number): [string, string, string] {
  const at = shown.value!.records.findIndex((r) => r.number === kept.value);
  const other = texts[i === at ? (at === 0 ? 1 : 0) : at]?.text ?? "";
  return differing(texts[i]!.text, other);
}
function stay(number: string) {
  survivor.value = number;
  for (const key of Object.keys(values)) delete values[key];
}

async function merge() {
  await tried.attempt(async () => {
    const begun = await startMerge({
      kind: props.kind,
      apply: true,
      reason: reason.value.trim(),
      merges: [{ survivor: kept.value, merged: others.value, values: { ...values }, lines: lines.value }],
    });
    id.value = begun.id;
  });
}
async function different() {
  if (await tried.attempt(() => sayDifferent(props.kind, props.numbers, reason.value.trim())))
    said.value = true;
}
async function back() {
  await tried.attempt(async () => {
    id.value = (await takeRunBack(id.value!)).id;
  });
}
</script>

<template>
  <div>
    <TroubleNote :problem="preview.problem" />
    <TroubleNote v-bind="tried.trouble" />
    <template v-if="run.data">
      <RunCounts :run="run.data" />
      <p v-for="h in hits.data?.filter((h) => h.what !== 'change')" :key="h.number + h.what + h.said">
        <RouterLink :to="recordPlace(h.kind, h.number)">{{ h.number }}</RouterLink> {{ h.title }}
        <span :class="{ wrong: h.what === 'refuse' }">{{ h.said }}</span>
      </p>
      <p>
        <button
          v-if="run.data.writes && !works(run.data)"
          type="button"
          class="button"
          :disabled="tried.busy"
          @click="back"
        >
          Take back
        </button>
        <button v-else-if="!works(run.data)" type="button" class="button" @click="id = undefined">
          Look again
        </button>
      </p>
    </template>
    <p v-else-if="said" role="status">They are said to be different, and nobody is asked again.</p>
    <form v-else-if="shown" @submit.prevent="merge">
      <table class="ledger sides">
        <thead>
          <tr>
            <th scope="col">
              {{ count(differing_) }} {{ differing_ === 1 ? "value differs" : "values differ" }}
            </th>
            <th v-for="r in shown.records" :key="r.number" scope="col" :class="{ kept: r.number === kept }">
              <label>
                <input
                  type="radio"
                  name="survivor"
                  :checked="r.number === kept"
                  :aria-label="`${r.number} stays`"
                  @change="stay(r.number)"
                />
                <b>{{ r.number === kept ? "Stays" : "Merged into it" }}</b>
              </label>
              <div class="title">
                <RouterLink :to="recordPlace(kind, r.number)">{{ r.number }}</RouterLink> {{ r.title }}
              </div>
              <div class="quiet">
                {{ catalog.companyName(r.company) }}, {{ catalog.typeName(r.type, kind) }}
              </div>
              <div class="quiet">
                named by {{ count(r.uses) }}, {{ count(r.filled) }} values<template v-if="r.firstAt"
                  >, since {{ moment(r.firstAt) }}</template
                >
              </div>
            </th>
            <th v-if="judged" scope="col">Becomes</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="f in rows" :key="f.field">
            <th scope="row">{{ catalog.label(f.field, undefined, kind) }}</th>
            <td v-for="(v, i) in f.values" :key="i">
              <label v-if="f.differs">
                <input
                  type="radio"
                  :name="`value-${f.field}`"
                  :checked="f.chosen === shown.records[i]!.number"
                  :aria-label="`${f.label} of ${shown.records[i]!.number}`"
                  @change="values[f.field] = shown.records[i]!.number"
                />
                <span v-if="!v.text" class="quiet">blank</span>
                <span v-else
                  >{{ parts(f.values, i)[0]
                  }}<mark v-if="parts(f.values, i)[1]">{{ parts(f.values, i)[1] }}</mark
                  >{{ parts(f.values, i)[2] }}</span
                >
              </label>
              <span v-else>{{ v.text }}</span>
            </td>
            <td v-if="judged">
              <b v-if="f.result.text">{{ f.result.text }}</b><span v-else class="quiet">blank</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p>
        <button type="button" class="plain" @click="all = !all">
          {{ all ? "Only what differs" : "Show the values that are the same" }}
        </button>
      </p>
      <p v-if="shown.lines.some((n) => n > 0)" class="sentence">
        Of the lines
        <SelectBox
          v-model="lines"
          label="Lines"
          :options="
            choices({ survivor: 'those of the one that stays', merged: 'those of the others', both: 'all' })
          "
        />
        stand.
      </p>
      <div class="does" role="status">
        <p v-for="f in shown.followers" :key="f.kind">
          {{ f.label }}:
          <template v-if="f.open"
            ><b>{{ count(f.open) }}</b> not posted, rewritten to name {{ kept
            }}{{ f.posted ? "; " : "" }}</template
          >
          <template v-if="f.posted"
            ><b>{{ count(f.posted) }}</b> posted, which keep {{ others.join(", ") }}; that leads to
            {{ kept }}</template
          >.
        </p>
        <p v-if="!shown.followers.length">Nothing names what is merged.</p>
        <p v-if="shown.proofs">{{ count(shown.proofs) }} proofs keep what they carry.</p>
        <p v-for="n in shown.names" :key="n.use.what + n.use.key">
          To change by hand:
          <RouterLink
            :to="
              n.use.what === 'rule'
                ? `/plan?rule=${n.use.key}`
                : `/tables/${n.use.what === 'standing' ? 'standing' : 'crosswalks'}`
            "
            >{{ n.use.title }}</RouterLink
          >
          names {{ n.number }}.
        </p>
        <p v-for="(h, i) in shown.hindrances" :key="i" class="wrong" role="alert">
          <template v-if="h.use"
            ><RouterLink :to="recordPlace(h.use.what, h.use.key)">{{ h.use.key }}</RouterLink>
            {{ h.use.title }} would be refused:
          </template>
          {{ h.why }}
        </p>
        <p v-for="a in shown.asks" :key="a">
          {{ a }} <span class="quiet">The reason below answers it.</span>
        </p>
      </div>
      <p class="deeds">
        <input
          v-model="reason"
          class="line"
          aria-label="Reason"
          placeholder="Why they are the same, or different"
        />
        <button
          type="submit"
          class="button first"
          :disabled="tried.busy || !reason.trim() || !!shown.hindrances.length"
        >
          Merge into {{ kept }}
        </button>
        <button type="button" class="button" :disabled="tried.busy || !reason.trim()" @click="different">
          They are different
        </button>
        <slot />
      </p>
      <p v-if="!reason.trim()" class="quiet">
        A reason is needed; it is kept with the {{ inSentence(catalog.entry(kind)?.kind.label) }}.
      </p>
    </form>
  </div>
</template>

<style scoped>
.sides td,
.sides th {
  vertical-align: top;
  text-align: left;
  overflow-wrap: anywhere;
}
.sides th[scope="col"] {
  font-weight: 400;
}
.sides th[scope="row"] {
  font-weight: 400;
  color: var(--ink-soft);
  white-space: nowrap;
}
.sides tbody th {
  border-bottom-color: var(--rule);
}
.kept {
  background: var(--select);
}
.title {
  font: 15px/1.35 var(--serif);
}
label {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
mark {
  background: var(--advise-wash, #f6e7a8);
  color: inherit;
}
.does {
  margin: 10px 0;
}
.does p {
  margin: 2px 0;
}
.wrong {
  color: var(--refused);
}
.sentence,
.deeds {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.deeds input {
  flex: 0 1 340px;
}
</style>
