<script setup lang="ts">
import { recordPlace } from "@/api/address";
import { useEventListener } from "@vueuse/core";
import { ref } from "vue";
import { RouterLink } from "vue-router";
import BatchProgress from "@/features/desk/BatchProgress.vue";
import DeskFind from "@/features/desk/DeskFind.vue";
import DeskForm from "@/features/desk/DeskForm.vue";
import DeskKeys from "@/features/desk/DeskKeys.vue";
import { useDesk } from "@/features/desk/desk";
import { shownKey, useDeskKeys, type Deed } from "@/features/desk/keys";
import { useCatalog } from "@/queries/catalog";
import { moment as momentOf } from "@/queries/format";
import MessageList from "@/ui/MessageList.vue";
import NoTypes from "@/ui/NoTypes.vue";
import OverSheet from "@/ui/OverSheet.vue";
import SentencePicker from "@/ui/SentencePicker.vue";
import TroubleNote from "@/ui/TroubleNote.vue";

/** Where one keys many documents, one after another, without a mouse. */
const catalog = useCatalog();
const form = ref<InstanceType<typeof DeskForm>>();
const desk = useDesk(form);
const keys = useDeskKeys();
const changing = ref(false);
const finding = ref(false);
const taking = ref(false);

const deeds: Record<Deed, () => unknown> = {
  next: () => desk.next(),
  repeat: () => desk.repeat(),
  above: () => desk.above(),
  partner: () => desk.ofPartner(),
  stop: () => form.value?.nextStop(),
  section: () => form.value?.nextSection(),
  assist: () => desk.assist(),
  undo: () => desk.undo(),
  aside: () => desk.keepAside(),
  takeUp: () => (desk.aside.length === 1 ? desk.takeUp(desk.aside[0]!) : (taking.value = true)),
  find: () => (finding.value = true),
  removeLine: () => form.value?.removeLine(),
  doubleLine: () => form.value?.doubleLine(),
  lineUp: () => form.value?.moveLine(-1),
  lineDown: () => form.value?.moveLine(1),
};
useEventListener(
  window,
  "keydown",
  (event: KeyboardEvent) => {
    if (changing.value || finding.value || taking.value || desk.busy) return;
    const deed = keys.deedOf(event);
    if (!deed) return;
    // In the list under a field the arrows with Alt have a use of their own only where there is a line to move.
    if (
      (deed === "lineUp" || deed === "lineDown" || deed === "removeLine" || deed === "doubleLine") &&
      !form.value?.lineHere()
    )
      return;
    event.preventDefault();
    event.stopPropagation();
    void deeds[deed]();
  },
  { capture: true },
);
function back() {
  changing.value = finding.value = taking.value = false;
  void form.value?.point("", 0);
}
</script>

<template>
  <div v-if="desk.entry" class="desk">
    <div class="top">
      <h1 v-if="!desk.batch.data">
        Key
        <SentencePicker
          :value="desk.kind"
          label="Kind"
          :options="catalog.kindOptions(true)"
          @change="desk.rescope({ kind: $event })"
        />
        of
        {{ desk.entry.kind.typeLabel.split(" ").pop()?.toLowerCase() }}
        <SentencePicker
          :value="desk.scope.type"
          :label="desk.entry.kind.typeLabel"
          :options="catalog.typeOptions(desk.scope.company, desk.kind)"
          @change="desk.rescope({ type: $event })"
        />
        in
        <SentencePicker
          :value="desk.scope.company"
          label="Company"
          :options="catalog.companyOptions"
          @change="desk.rescope({ company: $event })"
        />
      </h1>
      <h1 v-else>
        {{ desk.again ? "Key again" : "Key" }}
        <RouterLink class="up" :to="`/desk/batches/${desk.batch.data.id}`">{{
          desk.batch.data.head.title
        }}</RouterLink>
        <span class="name"
          >{{ catalog.typeName(desk.scope.type, desk.kind) }},
          {{ catalog.companyName(desk.scope.company) }}</span
        >
      </h1>
      <span class="spring" />
      <RouterLink class="button" to="/desk/batches">Batches</RouterLink>
    </div>
    <div class="middle">
      <div class="sheet">
        <NoTypes
          v-if="desk.scope.company && !desk.scope.type"
          :kind="desk.kind"
          :company="desk.scope.company"
        />
        <p v-if="desk.again && !desk.left.length" class="empty">
          Nothing is left that you could key again: what you keyed yourself somebody else keys.
        </p>
        <template v-else>
          <p v-if="desk.again" class="quiet">
            Document {{ desk.left[0]!.position }} of the pile, as it is on paper; {{ desk.left.length }} are
            left.
          </p>
          <DeskForm
            v-if="desk.layout && desk.scope.type"
            :key="desk.page"
            ref="form"
            :entry="desk.entry"
            :layout="desk.layout.layout"
            :trial="desk.trial"
            :company="desk.scope.company"
            :assisted="desk.assisted"
            :blank-line="desk.blankLine"
            :strict="desk.strict"
            :only="
              desk.again && !desk.batch.data?.head.second?.includes('*')
                ? desk.batch.data?.head.second
                : undefined
            "
            @changed="desk.changed"
            @standing="desk.standing = $event"
          />
          <p
            v-if="desk.trial.outcome.value?.balance && desk.trial.lines.value.length"
            class="balance"
            aria-label="Balance"
          >
            Debits <b>{{ desk.trial.outcome.value.balance.debits.text }}</b> Credits
            <b>{{ desk.trial.outcome.value.balance.credits.text }}</b>
            <span
              v-if="
                desk.trial.outcome.value.balance.debits.value !== '0' ||
                desk.trial.outcome.value.balance.credits.value !== '0'
              "
              :class="{ off: desk.trial.outcome.value.balance.difference.value !== '0' }"
            >
              {{ desk.trial.outcome.value.balance.difference.value === "0" ? "Balanced" : "Difference" }}
              <b v-if="desk.trial.outcome.value.balance.difference.value !== '0'">{{
                desk.trial.outcome.value.balance.difference.text
              }}</b>
            </span>
          </p>
        </template>
      </div>
      <aside>
        <BatchProgress v-if="desk.batch.data" :batch="desk.batch.data" />
        <TroubleNote :problem="desk.problem" />
        <TroubleNote v-bind="desk.trouble" />
        <p v-if="desk.said" class="said" role="status">{{ desk.said }}</p>
        <MessageList
          v-if="desk.messages.length"
          keyed
          :messages="desk.messages"
          :kind="desk.kind"
          :reasons="desk.trial.reasons.value"
          @point="(field, line) => form?.point(field, line)"
          @reason="desk.trial.giveReason"
        />
        <template v-if="desk.aside.length">
          <h2>Kept aside</h2>
          <ul class="told">
            <li v-for="a in desk.aside" :key="a.at">
              <button type="button" class="plain" @click="desk.takeUp(a)">{{ a.words }}</button>
              <span class="quiet"> {{ momentOf(a.at) }}</span>
            </li>
          </ul>
        </template>
        <template v-if="desk.done.length">
          <h2>Done</h2>
          <ul class="told" aria-live="polite">
            <li v-for="d in desk.done" :key="d.number" :class="{ waits: d.waits }">
              <RouterLink :to="recordPlace(desk.kind, d.number)">{{ d.number }}</RouterLink> {{ d.said }}
            </li>
          </ul>
        </template>
      </aside>
    </div>
    <footer aria-label="Keys">
      <span v-for="k in keys.keys.value.filter((k) => k.foot)" :key="k.deed" class="key">
        <button type="button" class="plain" tabindex="-1" @mousedown.prevent @click="deeds[k.deed]()">
          <kbd>{{ shownKey(k.key) }}</kbd>
          {{
            k.deed === "partner" && desk.partner
              ? `As in the last of this ${desk.partner.label.toLowerCase()}`
              : k.deed === "assist" && !desk.assisted
                ? "Assistance is off"
                : k.label
          }}
        </button>
      </span>
      <span class="spring" />
      <button type="button" class="plain" tabindex="-1" @click="changing = true">Change keys</button>
    </footer>
    <DeskKeys
      v-if="changing"
      :keys="keys.keys.value"
      @change="keys.change"
      @forget="keys.forget"
      @close="back"
    />
    <DeskFind
      v-if="finding"
      :kind="desk.kind"
      :label="desk.entry.kind.plural.toLowerCase()"
      :company="desk.scope.company"
      @close="back"
    />
    <OverSheet v-if="taking" label="Kept aside" @close="back">
      <h2>Kept aside</h2>
      <p v-if="!desk.aside.length" class="quiet">Nothing is kept aside.</p>
      <ul class="told">
        <li v-for="a in desk.aside" :key="a.at">
          <button type="button" class="plain" @click="((taking = false), desk.takeUp(a))">
            {{ a.words }}
          </button>
          <span class="quiet"> {{ momentOf(a.at) }}</span>
        </li>
      </ul>
    </OverSheet>
  </div>
  <p v-else class="empty page">There is no kind of record called {{ desk.kind }}.</p>
</template>

<style scoped>
.desk {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.top {
  flex: none;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 7px 20px;
  border-bottom: 1px solid var(--rule-strong);
}
.top h1 {
  display: flex;
  align-items: baseline;
  gap: 7px;
  font-size: 19px;
  white-space: nowrap;
}
.name {
  font: 13px var(--sans);
  color: var(--ink-soft);
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
  padding: 10px 20px 20px;
}
aside {
  width: 270px;
  flex: none;
  overflow: auto;
  border-left: 1px solid var(--rule-strong);
  background: var(--paper-raised);
  padding: 10px 14px;
}
aside h2 {
  font-size: 14px;
  margin: 12px 0 3px;
}
aside :deep(.messages li) {
  flex-wrap: wrap;
  column-gap: 6px;
  padding: 3px 0;
}
.told {
  margin: 0;
  padding: 0;
}
.told li {
  list-style: none;
  padding: 2px 0;
}
.waits {
  color: var(--refused);
}
.balance {
  margin: 8px 0 0 30px;
  display: flex;
  gap: 10px;
}
.off {
  color: var(--refused);
}
.said {
  color: var(--good);
  font: 14px/1.35 var(--serif);
  margin: 0 0 6px;
}
footer {
  flex: none;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  padding: 5px 20px;
  border-top: 1px solid var(--rule-strong);
  font-size: 12px;
}
footer .plain {
  text-decoration: none;
  font-size: 12px;
  color: var(--ink-soft);
}
</style>
