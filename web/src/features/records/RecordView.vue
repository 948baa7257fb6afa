<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import BlankPane from "@/features/records/BlankPane.vue";
import MergePane from "@/features/records/MergePane.vue";
import MessageList from "@/ui/MessageList.vue";
import NoTypes from "@/ui/NoTypes.vue";
import PresentPeople from "@/ui/PresentPeople.vue";
import RecordActions from "@/features/records/RecordActions.vue";
import RecordForm from "@/features/records/RecordForm.vue";
import RecordHistory from "@/features/records/RecordHistory.vue";
import RecordRelations from "@/features/records/RecordRelations.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import StateMark from "@/features/records/StateMark.vue";
import TroubleNote from "@/ui/TroubleNote.vue";
import WhyValue from "@/features/records/WhyValue.vue";
import { parseAddress, recordPlace } from "@/api/address";
import { api } from "@/api/client";
import { useOpenRecord } from "@/features/records/openRecord";
import { useAsked } from "@/queries/client";
import { format, inSentence, moment } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const form = ref<InstanceType<typeof RecordForm>>();
const open = useOpenRecord(form);

const blanking = ref(false);
function closeBlank() {
  blanking.value = false;
  void open.giveUp();
}

function stand(event: Event) {
  const cell = (event.target as HTMLElement).closest<HTMLElement>("[data-address]");
  if (cell?.dataset.address) open.standing = cell.dataset.address;
}
watch(
  () => `${open.kind}/${open.number}`,
  () => (open.standing = ""),
);
const why = computed(() => {
  const outcome = open.trial.fields.value.get(open.standing);
  const { key } = parseAddress(open.standing);
  const field = open.entry?.kind.fields.find((f) => f.key === key);
  if (!outcome || !field) return undefined;
  const placed = open.layout?.layout.sections.flatMap((s) => s.fields).find((f) => f.key === key);
  return { outcome, label: placed?.label || field.label };
});

/** What rules did when the record was saved, asked for where somebody stands on a value of then. */
const told = useAsked(
  () => {
    const r = open.record;
    return r && !open.readonly && why.value?.outcome.made === "stored"
      ? ["record", r.kind, r.number, "told", r.version, open.standing, { ...format }]
      : undefined;
  },
  (signal) => {
    const { kind, number, version } = open.record!;
    const params = { path: { kind, number, version }, query: { format, field: open.standing } };
    return api.GET("/records/{kind}/{number}/versions/{version}/outcome", { params, signal });
  },
  { lasting: true },
);
const saved = computed(() => {
  if (told.data?.told !== "again") return undefined;
  const { key, line } = parseAddress(open.standing);
  const { fields, lines } = told.data.outcome;
  const among = line ? lines.find((l) => l.number === line)?.fields : fields;
  const then = among?.find((f) => f.key === key);
  // What somebody types meanwhile is not the value of then.
  return then?.final.value === why.value?.outcome.final.value ? then : undefined;
});

useEventListener(
  window,
  "keydown",
  (event: KeyboardEvent) => {
    if (event.key === "F8" || event.key === "F7") {
      event.preventDefault();
      if (event.key === "F8") form.value?.nextStop();
      else
        open.done = form.value?.assist()
          ? "The cursor passes fields over again."
          : "The cursor goes to every field of this document. F7 turns that back.";
      return;
    }
    if (!(event.ctrlKey || event.metaKey)) return;
    if (event.key === "s" && !open.readonly) {
      event.preventDefault();
      void open.save();
    } else if (event.key === "Enter" && open.entry?.kind.posted) {
      event.preventDefault();
      event.stopPropagation();
      void open.post();
    }
  },
  { capture: true },
);
</script>

<template>
  <div v-if="open.entry" class="record">
    <div class="top">
      <h1 v-if="open.isNew">
        New {{ inSentence(open.entry.kind.label) }} of
        {{ open.entry.kind.typeLabel.split(" ").pop()?.toLowerCase() }}
        <SentencePicker
          :value="open.scope.type"
          :label="open.entry.kind.typeLabel"
          :options="catalog.typeOptions(open.scope.company, open.kind)"
          @change="open.rescope({ type: $event })"
        />
        in
        <SentencePicker
          :value="open.scope.company"
          label="Company"
          :options="catalog.companyOptions"
          :disabled="!!open.origin"
          @change="open.rescope({ company: $event })"
        />
      </h1>
      <h1 v-else>
        <RouterLink class="up" :to="`/records/${open.kind}`">{{ open.entry.kind.plural }}</RouterLink>
        {{ open.number }} <span class="name">{{ open.record?.title }}</span>
      </h1>
      <span class="spring" />
      <PresentPeople :people="open.others" />
      <template v-if="open.record">
        <StateMark v-if="open.entry.kind.posted || open.record.mergedInto" :state="open.record.state" />
        <span class="quiet">
          {{ catalog.typeName(open.record.type, open.kind) }} · {{ catalog.companyName(open.record.company) }}
        </span>
      </template>
    </div>
    <div class="middle">
      <div
        class="sheet"
        @focusin="stand"
        @click="stand"
        @input="open.typing = true"
        @focusout="open.typing = false"
      >
        <NoTypes
          v-if="open.isNew && open.scope.company && !open.scope.type"
          :kind="open.kind"
          :company="open.scope.company"
        />
        <p v-if="open.record?.mergedInto" class="notice" role="status">
          {{ open.entry.kind.label }} {{ open.number }} was merged into
          <RouterLink :to="recordPlace(open.kind, open.record.mergedInto)">{{
            open.record.mergedInto
          }}</RouterLink>
          on {{ moment(open.record.changedAt) }} by {{ open.record.changedBy }}: {{ open.record.mergedWhy }}.
          Its number leads there; here it stands as it was.
        </p>
        <p v-if="open.overtakenBy && !open.merge" class="notice" role="status">
          {{ open.overtakenBy }} saved this record meanwhile. What you typed is still here.
          <button type="button" class="button" @click="open.compare">Look at both changes</button>
        </p>
        <MergePane
          v-if="open.merge"
          :merge="open.merge"
          @done="open.merged"
          @close="open.merge = undefined"
        />
        <RecordForm
          v-if="open.layout && open.scope.type && (open.isNew || open.record)"
          ref="form"
          :entry="open.entry"
          :layout="open.layout.layout"
          :trial="open.trial"
          :company="open.scope.company"
          :readonly="open.readonly"
          :strict="open.tried"
          :inert="open.busy"
          @changed="open.changed"
          @derive="open.derive"
        />
        <p v-if="open.deleted" class="empty">
          {{ open.entry.kind.label }} {{ open.number }} is not there: it was deleted, or never saved. What was
          saved of it stands at the right.
        </p>
      </div>
      <aside>
        <WhyValue
          v-if="why"
          :label="why.label"
          :outcome="why.outcome"
          :saved="saved"
          :readonly="open.readonly"
        />
        <TroubleNote v-if="!open.deleted" :problem="open.problem" />
        <TroubleNote v-bind="open.trouble" />
        <p v-if="open.record?.late" class="quiet">
          A linked record has changed; its live values are being updated.
        </p>
        <p v-if="open.done" class="done" role="status">{{ open.done }}</p>
        <template v-if="open.messages.length">
          <h2>{{ open.verdict === "refused" ? "Not yet right" : "To note" }}</h2>
          <MessageList
            keyed
            :messages="open.messages"
            :kind="open.kind"
            :reasons="open.trial.reasons.value"
            @point="(field, line) => form?.point(field, line)"
            @reason="open.trial.giveReason"
          />
        </template>
        <RecordRelations
          :kind="open.kind"
          :company="open.scope.company"
          :record="open.record"
          :origin="open.origin ?? open.record?.origin"
          :earlier="open.earlier"
          :unsaved="open.dirty"
        />
        <RecordHistory v-if="open.record || open.deleted" :kind="open.kind" :number="open.number" />
      </aside>
    </div>
    <RecordActions
      :record="open.record"
      :number="open.number"
      :is-new="open.isNew"
      :kind="open.entry.kind.key"
      :posted="!!open.entry.kind.posted"
      :readonly="open.readonly"
      :dirty="open.dirty"
      :outdated="open.outdated"
      :busy="open.busy"
      @save="open.save()"
      @post="open.post"
      @reverse="open.reverse"
      @remove="open.remove"
      @blank="blanking = true"
      @give-up="open.giveUp"
      @plan="open.onPlan"
    />
    <BlankPane v-if="blanking" :kind="open.kind" :number="open.number" @close="closeBlank" />
  </div>
  <p v-else class="empty page">There is no kind of record called {{ open.kind }}.</p>
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
aside h2 {
  font-size: 14px;
  margin: 14px 0 4px;
}
aside h2:first-child {
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
