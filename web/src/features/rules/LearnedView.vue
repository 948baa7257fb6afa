<script setup lang="ts">
import RunProgress from "@/ui/RunProgress.vue";
import { computed, ref, watch } from "vue";
import { RouterLink, useRoute, useRouter } from "vue-router";
import LearnedItem from "@/features/rules/LearnedItem.vue";
import { useAttempt } from "@/queries/attempt";
import { useCatalog } from "@/queries/catalog";
import { count, inSentence, moment } from "@/queries/format";
import {
  acceptLearned,
  forms,
  isOpen,
  isRuled,
  leaveLearned,
  startLearning,
  useLearned,
  type Proposal,
} from "@/queries/learned";
import { useRun, works } from "@/queries/runs";
import { useSession } from "@/queries/session";
import SelectBox from "@/ui/SelectBox.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import ListExport from "@/ui/ListExport.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import { useList } from "@/ui/list";

/** The rules that saved records bear out. A proposal becomes a draft, with proofs, or is left alone. */
const catalog = useCatalog();
const route = useRoute();
const router = useRouter();
const session = useSession();
const tried = useAttempt();

const kind = computed(() => String(route.query.kind ?? "") || (catalog.kinds[0]?.kind.key ?? ""));
const entry = computed(() => catalog.entry(kind.value));
const learned = useLearned(() => kind.value);
const id = ref<number>();
const run = useRun(() => id.value);
watch(kind, () => (id.value = undefined));
watch(
  () => run.data && !works(run.data),
  (ended) => ended && void learned.reload(),
);
async function look() {
  await tried.attempt(async () => (id.value = (await startLearning(kind.value)).id));
}

const field = computed(() => String(route.query.field ?? ""));
const which = ref<"open" | "ruled" | "aside">("open");
const sorts = {
  open: isOpen,
  ruled: (p: Proposal) => !p.aside && isRuled(p),
  aside: (p: Proposal) => !!p.aside,
};
const all = computed(() =>
  (learned.data?.proposals ?? []).filter((p) => !field.value || p.target === field.value),
);
const counted = (of: keyof typeof sorts) => all.value.filter(sorts[of]).length;
const found = computed(() => all.value.filter(sorts[which.value]));
const groups = computed(() =>
  forms
    .map((f) => ({ ...f, list: found.value.filter((p) => f.form.includes(p.form)) }))
    .filter((g) => g.list.length),
);
const list = useList<Proposal>(
  () => found.value,
  () => [
    { label: "Proposal", value: (p) => p.sentence },
    { label: "Field", value: (p) => catalog.label(p.target, undefined, kind.value) },
    { label: "Form", value: (p) => p.form },
    { label: "Formula", value: (p) => p.formula ?? "" },
    { label: "Bear it out", right: true, value: (p) => p.holds },
    { label: "Do not", right: true, value: (p) => p.breaks },
    { label: "Exceptions", value: (p) => p.exceptions.map((e) => e.number).join(", ") },
  ],
);

const mayChange = computed(() => session.may("rules.change") && session.everywhere);
/** The draft that was made last. */
const made = ref<{ rule: number; name: string; proofs: number }>();
async function accept(p: Proposal, instead: number) {
  made.value = undefined;
  await tried.attempt(async () => {
    const answer = await acceptLearned(kind.value, p.key, instead);
    made.value = { rule: answer.rule.id, name: answer.rule.sentence, proofs: answer.proofs.length };
  });
}
async function leave(p: Proposal, reason: string) {
  await tried.attempt(() => leaveLearned(kind.value, p.key, reason));
}
</script>

<template>
  <div v-if="entry" class="page">
    <div class="page-head">
      <h1 class="of">
        Learned from
        <SentencePicker
          :value="kind"
          label="Kind of record"
          :options="catalog.kindOptions(true)"
          @change="router.replace({ query: { kind: $event } })"
        />
      </h1>
      <span class="quiet">
        <template v-if="learned.data?.at"
          >{{ count(learned.data.seen) }} {{ inSentence(entry.kind.plural) }}, looked through
          {{ moment(learned.data.at) }}</template
        >
      </span>
      <span class="spring" />
      <ListExport v-if="found.length" name="Proposals" :list="list" />
      <SelectBox
        v-if="learned.data?.at"
        v-model="which"
        class="which"
        label="Which proposals"
        :options="[
          { value: 'open', label: `Open (${counted('open')})` },
          { value: 'ruled', label: `A rule says so (${counted('ruled')})` },
          { value: 'aside', label: `Left alone (${counted('aside')})` },
        ]"
      />
      <button
        type="button"
        class="button"
        :class="{ first: !learned.data?.at }"
        :disabled="tried.busy || works(run.data)"
        @click="look"
      >
        {{ learned.data?.at ? "Look again" : "Look through the records" }}
      </button>
    </div>
    <TroubleNote :problem="learned.problem" :retry="learned.reload" />
    <TroubleNote v-bind="tried.trouble" />
    <p v-if="works(run.data)" role="status">
      <RunProgress :run="run.data!" />
    </p>
    <p v-if="run.data?.state === 'failed'" class="trouble">{{ run.data.problem }}</p>
    <p v-if="made" class="made" role="status">
      <RouterLink :to="`/plan?rule=${made.rule}`">Draft {{ made.rule }}</RouterLink
      >: {{ made.name }} It has {{ made.proofs }} {{ made.proofs === 1 ? "proof" : "proofs" }}.
    </p>
    <p v-if="field" class="quiet">
      Only {{ catalog.label(field, undefined, kind) }}.
      <button type="button" class="plain" @click="router.replace({ query: { kind } })">All fields</button>
    </p>
    <p v-if="learned.data && !learned.data.at && !works(run.data)" class="empty">
      Records show by what rules they were made: what is always filled, what follows from what, what is
      computed, what never differs. Nobody has looked through {{ inSentence(entry.kind.plural) }} yet.
      <button type="button" class="plain" @click="look">Look through the records</button>
    </p>
    <p v-else-if="learned.data?.at && !found.length" class="empty">
      {{
        which === "open"
          ? "Nothing is open: what the records bear out is a rule, or left alone."
          : "There is nothing of that sort."
      }}
    </p>
    <section v-for="g in groups" :key="g.title" :aria-label="g.title">
      <h2>
        {{ g.title }} <span class="quiet">{{ g.about }}</span>
      </h2>
      <LearnedItem
        v-for="p in g.list"
        :key="p.key"
        :proposal="p"
        :kind="kind"
        :busy="tried.busy"
        :may-change="mayChange"
        @accept="accept(p, $event)"
        @leave="leave(p, $event)"
      />
    </section>
  </div>
</template>

<style scoped>
h2 {
  margin: 18px 0 2px;
}
h2 .quiet {
  font: 13px/1.4 var(--sans);
  margin-left: 6px;
}
.which {
  width: 210px;
}
.made {
  border-left: 2px solid var(--entry);
  padding-left: 10px;
}
.trouble {
  color: var(--refused);
}
</style>
