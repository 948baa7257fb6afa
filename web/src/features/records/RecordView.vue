<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { ref } from "vue";
import { RouterLink } from "vue-router";
import MergePane from "@/features/records/MergePane.vue";
import MessageList from "@/ui/MessageList.vue";
import NoTypes from "@/features/records/NoTypes.vue";
import RecordActions from "@/features/records/RecordActions.vue";
import RecordForm from "@/features/records/RecordForm.vue";
import RecordHistory from "@/features/records/RecordHistory.vue";
import RecordRelations from "@/features/records/RecordRelations.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import StateMark from "@/features/records/StateMark.vue";
import UseList from "@/ui/UseList.vue";
import { useOpenRecord } from "@/features/records/openRecord";
import { inSentence } from "@/ui/format";
import { useCatalog } from "@/queries/catalog";

const catalog = useCatalog();
const form = ref<InstanceType<typeof RecordForm>>();
const {
  kind,
  number,
  isNew,
  entry,
  scope,
  trial,
  problem,
  layout,
  record,
  origin,
  earlier,
  dirty,
  busy,
  done,
  tried,
  merge,
  uses,
  historyTurn,
  readonly,
  deleted,
  outdated,
  derive,
  rescope,
  save,
  merged,
  post,
  reverse,
  remove,
  giveUp,
  onPlan,
  changed,
  verdict,
  messages,
} = useOpenRecord(form);

useEventListener(
  window,
  "keydown",
  (event: KeyboardEvent) => {
    if (event.key === "F8" || event.key === "F7") {
      event.preventDefault();
      if (event.key === "F8") form.value?.nextStop();
      else
        done.value = form.value?.assist()
          ? "The cursor passes fields over again."
          : "The cursor goes to every field of this document. F7 turns that back.";
      return;
    }
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
          @derive="derive"
        />
        <p v-if="deleted" class="empty">
          {{ entry.kind.label }} {{ number }} is not there: it was deleted, or never saved. What was saved of
          it stands at the right.
        </p>
      </div>
      <aside>
        <p v-if="problem && !deleted" class="trouble" role="alert">{{ problem }}</p>
        <p v-if="record?.late" class="quiet">
          A record that it names has changed; its live values are being taken anew.
        </p>
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
        <RecordHistory v-if="record || deleted" :kind="kind" :number="number" :turn="historyTurn" />
      </aside>
    </div>
    <RecordActions
      :record="record"
      :number="number"
      :is-new="isNew"
      :posted="!!entry.kind.posted"
      :readonly="readonly"
      :dirty="dirty"
      :outdated="outdated"
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
