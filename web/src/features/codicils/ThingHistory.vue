<script setup lang="ts">
import { computed, ref } from "vue";
import { RouterLink } from "vue-router";
import type { CodicilChange, Schemas } from "@/api/client";
import ChangeTold from "@/features/codicils/ChangeTold.vue";
import { restoreThing, useShown, useThingCompared, useThingHistory } from "@/queries/codicils";
import { moment } from "@/queries/format";
import { useSession } from "@/queries/session";
import { useAttempt } from "@/queries/attempt";
import SelectBox from "@/ui/SelectBox.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useGoOn } from "@/ui/goOn";

/**
 * What a table, field, layout or map has been: in which codicil, who, when, and what differs from before; of all of it or of
 * one row. Any two are compared, and it is taken back to any.
 */
const props = defineProps<{
  what: Schemas["ThingKind"];
  of: string;
  /** The rows that can be looked at by themselves, with what they are found by. */
  rows?: { label: string; keys: string[] }[];
}>();
const open = ref(false);
const row = ref("");
const rowOptions = computed(() => {
  const labels = new Map((props.rows ?? []).map((r) => [JSON.stringify(r.keys), r.label]));
  return [...labels].map(([value, label]) => ({ value, label }));
});
const thing = computed(() => ({
  what: props.what,
  key: props.of,
  row: row.value ? (JSON.parse(row.value) as string[]) : undefined,
}));
const asked = useThingHistory(() => (open.value ? thing.value : undefined));
const changes = computed(() => asked.data ?? []);

const comparing = ref(false);
const from = ref("");
const to = ref("");
const numbers = computed(() =>
  changes.value.map((c) => ({ value: String(c.codicil.id), label: `${c.codicil.id}, ${c.codicil.title}` })),
);
function compare() {
  from.value = numbers.value.at(-1)?.value ?? "";
  to.value = numbers.value[0]?.value ?? "";
  comparing.value = true;
}
const compared = useThingCompared(() =>
  comparing.value ? { ...thing.value, from: Number(from.value), to: Number(to.value) } : undefined,
);

const session = useSession();
const shown = useShown();
const mayRestore = computed(() => {
  const tables: Schemas["ThingKind"][] = ["standing", "crosswalk", "series", "list"];
  return shown.takesChanges && session.may(tables.includes(props.what) ? "tables.change" : "setup.change");
});
const tried = useAttempt();
const going = useGoOn();
async function restore(c: CodicilChange, before: boolean) {
  const goOn = going();
  await tried.attempt(async () => {
    const made = await restoreThing({ what: props.what, key: props.of, codicil: c.codicil.id, before });
    await goOn(`/codicils/${made.id}`);
  });
}
</script>

<template>
  <section class="history" aria-label="History">
    <button type="button" class="plain" :aria-expanded="open" @click="open = !open">
      {{ open ? "Close the history" : "History" }}
    </button>
    <template v-if="open">
      <TroubleNote :problem="asked.problem" :retry="asked.reload" />
      <TroubleNote v-bind="tried.trouble" />
      <div class="bar">
        <SelectBox
          v-if="rowOptions.length > 1"
          v-model="row"
          label="Row"
          :options="[{ value: '', label: 'All rows' }, ...rowOptions]"
        />
        <button v-if="changes.length > 1 && !comparing" type="button" class="plain" @click="compare">
          Compare any two
        </button>
      </div>
      <div v-if="comparing" class="compare" role="group" aria-label="Two versions compared">
        <p>
          From codicil
          <SentencePicker :value="from" label="From codicil" :options="numbers" @change="from = $event" />
          to codicil
          <SentencePicker :value="to" label="To codicil" :options="numbers" @change="to = $event" />
          <button type="button" class="plain" @click="comparing = false">Close</button>
        </p>
        <TroubleNote :problem="compared.problem" :retry="compared.reload" />
        <template v-if="compared.data">
          <p v-if="!compared.data.before.length && !compared.data.after.length" class="quiet">
            They are the same.
          </p>
          <ChangeTold v-else :change="compared.data" />
        </template>
      </div>
      <p v-if="asked.data && !changes.length" class="quiet">
        {{
          row
            ? "No change of this row is kept."
            : "No change of it is kept. Changes are kept from the release on that has codicils."
        }}
      </p>
      <div v-for="(c, i) in changes" :key="c.codicil.id" class="change">
        <p>
          <RouterLink :to="`/codicils/${c.codicil.id}`"
            >Codicil {{ c.codicil.id }}, {{ c.codicil.title }}</RouterLink
          >
          <span class="quiet"> {{ moment(c.changedAt) }} {{ c.changedBy }}</span>
          <template v-if="mayRestore && !row">
            <button
              v-if="i && c.deed !== 'removed'"
              type="button"
              class="plain restore"
              :disabled="tried.busy"
              title="Puts it into a codicil as it was then; it is in force when that is"
              @click="restore(c, false)"
            >
              Back to this
            </button>
            <button
              v-if="i === changes.length - 1 && c.deed === 'changed'"
              type="button"
              class="plain restore"
              :disabled="tried.busy"
              title="Puts it into a codicil as it was before; it is in force when that is"
              @click="restore(c, true)"
            >
              Back to what was before
            </button>
          </template>
        </p>
        <ChangeTold :change="c" />
      </div>
    </template>
  </section>
</template>

<style scoped>
.history {
  margin: 8px 0;
}
.bar {
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 420px;
}
.change a,
.restore {
  margin-right: 8px;
}
.change,
.compare {
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
/* Within a line a choice is as large as its line. */
.compare :deep(.in-sentence .el-select__placeholder) {
  font: 600 13px/1.4 var(--sans);
}
p {
  margin: 0;
}
</style>
