<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, nextTick, reactive, ref, watch } from "vue";
import { onBeforeRouteLeave, RouterLink, useRoute, useRouter } from "vue-router";
import {
  api,
  ask,
  RequestError,
  type Document,
  type LayoutView,
  type Merge,
  type RecordView,
  type Use,
} from "@/api/client";
import { addressOf } from "@/address";
import MergePane from "@/components/MergePane.vue";
import MessageList from "@/components/MessageList.vue";
import NoTypes from "@/components/NoTypes.vue";
import RecordActions from "@/components/RecordActions.vue";
import RecordForm from "@/components/RecordForm.vue";
import RecordHistory from "@/components/RecordHistory.vue";
import RecordRelations from "@/components/RecordRelations.vue";
import SentencePicker from "@/components/SentencePicker.vue";
import StateMark from "@/components/StateMark.vue";
import UseList from "@/components/UseList.vue";
import { documentOf, useTrial, type Moment, type Scope } from "@/composables/trial";
import { format, inSentence } from "@/format";
import { useCatalog } from "@/stores/catalog";
import { usePlan } from "@/stores/plan";
import { unsaved } from "@/stores/unsaved";

const catalog = useCatalog();
const plan = usePlan();
const route = useRoute();
const router = useRouter();

const kind = computed(() => String(route.params.kind));
const number = computed(() => String(route.params.number));
const isNew = computed(() => number.value === "new");
const entry = computed(() => catalog.entry(kind.value));

const scope = reactive<Scope>({ kind: "", company: "", type: "", day: "" });
const moment = ref<Moment>("saving");
const trial = useTrial(
  scope,
  () => moment.value,
  () => undefined,
  true,
);
const { problem } = trial;
const layout = ref<LayoutView>();
const record = ref<RecordView>();
const origin = ref<Use>();
const earlier = ref<Use[]>([]);
const dirty = ref(false);
const busy = ref(false);
const done = ref("");
/** Whether somebody tried to save: from then on, what is missing is said at its field. */
const tried = ref(false);
const merge = ref<Merge>();
const uses = ref<Use[]>([]);
const historyTurn = ref(0);
const form = ref<InstanceType<typeof RecordForm>>();

const readonly = computed(() => !!record.value && record.value.state !== "kept");

function query(name: string): string {
  const value = route.query[name];
  return typeof value === "string" ? value : "";
}
const path = computed(() => route.fullPath);

async function load() {
  record.value = undefined;
  origin.value = undefined;
  earlier.value = [];
  merge.value = undefined;
  uses.value = [];
  dirty.value = false;
  tried.value = false;
  moment.value = "saving";
  trial.outcome.value = undefined;
  trial.put();
  if (!entry.value || !catalog.catalog) return;
  await trial.guard(async () => {
    if (isNew.value) await begin();
    else await open();
    await arrange();
  });
  if (isNew.value) await form.value?.begin();
}

/** Begins a new record: blank, what was left unsaved, or what follows from another. */
async function begin() {
  const company = query("company") || plan.scope.company || (catalog.catalog?.companies[0]?.key ?? "");
  const types = catalog.typesIn(company, kind.value);
  const type = types.some((t) => t.key === query("type")) ? query("type") : (types[0]?.key ?? "");
  Object.assign(scope, { kind: kind.value, company, type, day: catalog.catalog?.today });
  const kept = unsaved.get(path.value);
  if (query("follow")) {
    const params = { path: { id: Number(query("follow")) } };
    const body = { number: query("from"), type: query("type") || undefined };
    const begun = await ask(api.POST("/follow-ons/{id}/begin", { params, body }));
    Object.assign(scope, { company: begun.document.company, type: begun.document.type });
    trial.put(kept ?? begun.document);
    origin.value = begun.origin;
    earlier.value = begun.earlier;
    dirty.value = true;
  } else if (kept) {
    trial.put(kept);
    Object.assign(scope, { company: kept.company, type: kept.type });
    dirty.value = true;
  }
  await trial.tryDocument();
}

async function open() {
  const params = { path: { kind: kind.value, number: number.value } };
  const r = await ask(api.GET("/records/{kind}/{number}", { params }));
  record.value = r;
  historyTurn.value++;
  Object.assign(scope, { kind: r.kind, company: r.company, type: r.type, day: catalog.catalog?.today });
  if (r.state !== "kept") {
    const query = { ledger: "books" as const, format };
    const posting = await ask(
      api.GET("/postings/{number}", { params: { path: { number: r.number }, query } }),
    );
    trial.put(posting.document);
    trial.outcome.value = posting.outcome;
    return;
  }
  const kept = unsaved.get(path.value);
  trial.put(kept ?? documentOf(r, scope.day));
  dirty.value = !!kept;
  await trial.tryDocument();
}

async function arrange() {
  const query = { kind: kind.value, company: scope.company, type: scope.type };
  layout.value = await ask(api.GET("/layouts", { params: { query } }));
}

watch(path, load, { immediate: true });

async function rescope(next: Partial<Scope>) {
  Object.assign(scope, next);
  const types = catalog.typesIn(scope.company, kind.value);
  if (!types.some((t) => t.key === scope.type)) scope.type = types[0]?.key ?? "";
  await trial.guard(arrange);
  await trial.tryDocument();
}

function setAside() {
  if (dirty.value && !readonly.value) unsaved.set(path.value, { ...trial.document.value, stored: undefined });
  else unsaved.delete(path.value);
}
onBeforeRouteLeave(setAside);
useEventListener(window, "pagehide", setAside);
watch(
  path,
  (_, before) => {
    if (dirty.value && !readonly.value) unsaved.set(before, trial.document.value);
  },
  { flush: "sync" },
);

/** Takes what is being typed, and waits for its consequences. */
async function settle() {
  (document.activeElement as HTMLElement | null)?.blur();
  await nextTick();
  await trial.settled();
}

async function save(andThen?: "post"): Promise<RecordView | undefined> {
  await settle();
  busy.value = true;
  done.value = "";
  const saved = await saveNow();
  busy.value = false;
  if (!saved) return undefined;
  unsaved.delete(path.value);
  dirty.value = false;
  if (andThen === "post") return saved;
  await shownAs(saved, isNew.value ? `Saved as ${saved.number}.` : "Saved.");
  return saved;
}

async function saveNow(): Promise<RecordView | undefined> {
  const body = {
    document: { ...trial.document.value, stored: undefined, storedLines: undefined } as Document,
    format,
    version: record.value?.version,
    origin: isNew.value ? origin.value : undefined,
  };
  try {
    const answer = await ask(api.POST("/records", { body }));
    problem.value = undefined;
    trial.outcome.value = answer.outcome;
    if (!answer.record) {
      tried.value = true;
      pointToFirst();
    }
    return answer.record;
  } catch (error) {
    if (error instanceof RequestError && error.problem.code === "changed-meanwhile") {
      await trial.guard(async () => {
        merge.value = await ask(api.POST("/records/merge", { body }));
      });
    } else problem.value = (error as Error).message;
    return undefined;
  }
}

/** Goes on with both changes: what the other person changed is entered here, too. */
async function merged(taken: { field: string; line?: number; value: string }[]) {
  if (!merge.value || !record.value) return;
  const next = { ...trial.entered.value };
  for (const t of taken) {
    const address = addressOf(t.field, t.line ?? 0);
    if (t.line && !trial.lines.value.includes(t.line)) trial.lines.value = [...trial.lines.value, t.line];
    if (t.value) next[address] = { value: t.value };
    else delete next[address];
  }
  trial.entered.value = next;
  record.value = { ...record.value, version: merge.value.record.version };
  merge.value = undefined;
  await trial.tryDocument();
  await save();
}

function pointToFirst() {
  const messages = trial.outcome.value?.messages ?? [];
  const first =
    messages.find((m) => m.severity === "refuse") ?? messages.find((m) => m.severity === "confirm");
  if (first) void form.value?.point(first.field, first.line);
}

async function shownAs(r: RecordView, said: string) {
  const target = `/records/${r.kind}/${r.number}`;
  if (route.path === target) await load();
  else await router.replace(target);
  done.value = said;
}

async function post() {
  if (!entry.value?.kind.posted || readonly.value) return;
  let current = record.value;
  if (isNew.value || dirty.value) current = await save("post");
  else await settle();
  if (!current) return;
  busy.value = true;
  await trial.guard(async () => {
    const params = { path: { kind: kind.value, number: current.number } };
    const body = { version: current.version, reasons: trial.reasons.value, format };
    const answer = await ask(api.POST("/records/{kind}/{number}/post", { params, body }));
    if (answer.record) return shownAs(answer.record, `Posted to the books as ${answer.record.number}.`);
    if (isNew.value) await shownAs(current, "");
    record.value = current;
    moment.value = "posting";
    trial.outcome.value = answer.outcome;
    done.value = "It is kept, but not posted.";
    tried.value = true;
    pointToFirst();
  });
  busy.value = false;
}

async function reverse(day: string) {
  if (!record.value) return;
  await act(async () => {
    const params = { path: { kind: kind.value, number: number.value } };
    const body = { version: record.value!.version, day };
    const back = await ask(api.POST("/records/{kind}/{number}/reverse", { params, body }));
    await shownAs(back, `${number.value} is reversed by this document.`);
  });
}

async function remove() {
  await act(async () => {
    const params = { path: { kind: kind.value, number: number.value } };
    await ask(api.DELETE("/records/{kind}/{number}", { params }));
    dirty.value = false;
    await router.push(`/records/${kind.value}`);
  });
}

/** Goes back to what is saved, or to a blank form. */
async function giveUp() {
  unsaved.delete(path.value);
  dirty.value = false;
  await load();
}

/** Does something that may be refused because of other records, and lists those. */
async function act(work: () => Promise<unknown>) {
  busy.value = true;
  try {
    await work();
    problem.value = undefined;
  } catch (error) {
    problem.value = (error as Error).message;
    uses.value = error instanceof RequestError ? (error.problem.uses ?? []) : [];
  }
  busy.value = false;
}

async function onPlan() {
  await plan.take(trial.document.value, isNew.value ? "" : `Change of ${number.value}`);
  await router.push({ path: "/plan", query: { ...plan.scope } });
}

async function changed() {
  dirty.value = true;
  done.value = "";
  moment.value = "saving";
}

const verdict = computed(() => trial.outcome.value?.verdict);
/** A blank new record is not scolded for what nobody had a chance to enter. */
const messages = computed(() => {
  if (readonly.value || (isNew.value && !dirty.value && !tried.value)) return [];
  return trial.outcome.value?.messages ?? [];
});

useEventListener(
  window,
  "keydown",
  (event: KeyboardEvent) => {
    if (!(event.ctrlKey || event.metaKey)) return;
    if (event.key === "s" && !readonly.value) {
      event.preventDefault();
      void save();
    } else if (event.key === "Enter" && entry.value?.kind.posted) {
      event.preventDefault();
      event.stopPropagation();
      void post();
    }
  },
  { capture: true },
);
</script>

<template>
  <div v-if="entry" class="record">
    <div class="top">
      <h1 v-if="isNew">
        New {{ inSentence(entry.kind.label) }} of {{ entry.kind.typeLabel.split(" ").pop()?.toLowerCase() }}
        <SentencePicker
          :value="scope.type"
          :label="entry.kind.typeLabel"
          :options="catalog.typeOptions(scope.company, kind)"
          @change="rescope({ type: $event })"
        />
        in
        <SentencePicker
          :value="scope.company"
          label="Company"
          :options="catalog.companyOptions"
          :disabled="!!origin"
          @change="rescope({ company: $event })"
        />
      </h1>
      <h1 v-else>
        <RouterLink class="up" :to="`/records/${kind}`">{{ entry.kind.plural }}</RouterLink>
        {{ number }} <span class="name">{{ record?.title }}</span>
      </h1>
      <span class="spring" />
      <template v-if="record">
        <StateMark v-if="entry.kind.posted" :state="record.state" />
        <span class="quiet">
          {{ catalog.typeName(record.type, kind) }} · {{ catalog.companyName(record.company) }}
        </span>
      </template>
    </div>
    <div class="middle">
      <div class="sheet">
        <NoTypes v-if="isNew && scope.company && !scope.type" :kind="kind" :company="scope.company" />
        <MergePane v-if="merge" :merge="merge" @done="merged" @close="merge = undefined" />
        <RecordForm
          v-if="layout && scope.type && (isNew || record)"
          ref="form"
          :entry="entry"
          :layout="layout.layout"
          :trial="trial"
          :company="scope.company"
          :readonly="readonly"
          :strict="tried"
          @changed="changed"
        />
      </div>
      <aside>
        <p v-if="problem" class="trouble" role="alert">{{ problem }}</p>
        <UseList v-if="uses.length" :uses="uses" />
        <p v-if="done" class="done" role="status">{{ done }}</p>
        <template v-if="messages.length">
          <h3>{{ verdict === "refused" ? "Not yet right" : "To note" }}</h3>
          <MessageList
            :messages="messages"
            :kind="kind"
            :reasons="trial.reasons.value"
            @point="(field, line) => form?.point(field, line)"
            @reason="trial.giveReason"
          />
        </template>
        <RecordRelations
          :kind="kind"
          :company="scope.company"
          :record="record"
          :origin="origin ?? record?.origin"
          :earlier="earlier"
          :unsaved="dirty"
        />
        <RecordHistory v-if="record" :kind="kind" :number="number" :turn="historyTurn" />
      </aside>
    </div>
    <RecordActions
      :record="record"
      :number="number"
      :is-new="isNew"
      :posted="!!entry.kind.posted"
      :readonly="readonly"
      :dirty="dirty"
      :busy="busy"
      @save="save()"
      @post="post"
      @reverse="reverse"
      @remove="remove"
      @give-up="giveUp"
      @plan="onPlan"
    />
  </div>
  <p v-else class="empty page">There is no kind of record called {{ kind }}.</p>
</template>

<style scoped>
.record {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.top {
  flex: none;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 9px 20px 8px;
  border-bottom: 1px solid var(--rule-strong);
}
.top h1 {
  display: flex;
  align-items: baseline;
  gap: 7px;
  font-size: 20px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.up {
  font-weight: 400;
  text-decoration-color: var(--rule-strong);
  text-underline-offset: 4px;
}
.name {
  font-weight: 400;
}
.spring {
  flex: 1;
}
.middle {
  flex: 1;
  min-height: 0;
  display: flex;
}
.sheet {
  flex: 1;
  min-width: 0;
  overflow: auto;
  padding: 12px 20px 30px;
}
aside {
  width: 290px;
  flex: none;
  overflow: auto;
  border-left: 1px solid var(--rule-strong);
  background: var(--paper-raised);
  padding: 12px 16px;
}
aside h3 {
  margin: 14px 0 4px;
}
aside h3:first-child {
  margin-top: 0;
}
aside p {
  margin: 3px 0;
}
aside :deep(.messages li) {
  flex-wrap: wrap;
  column-gap: 6px;
  padding: 3px 0;
}
.trouble {
  color: var(--refused);
}
.done {
  color: var(--good);
  font: 15px/1.35 var(--serif);
}
</style>
