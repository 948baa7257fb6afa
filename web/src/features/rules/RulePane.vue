<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import ActTold from "@/ui/ActTold.vue";
import FamilyGlyph from "@/ui/FamilyGlyph.vue";
import FindingItem from "@/features/rules/FindingItem.vue";
import RuleEditor from "@/features/rules/RuleEditor.vue";
import RuleHistory from "@/features/rules/RuleHistory.vue";
import RuleUsed from "@/features/rules/RuleUsed.vue";
import RuleImpact from "@/features/rules/RuleImpact.vue";
import RuleProofs from "@/features/proofs/RuleProofs.vue";
import PresentPeople from "@/ui/PresentPeople.vue";
import { useBreaks } from "@/features/proofs/breaks";
import { useRuleDraft } from "@/features/rules/ruleDraft";
import { written } from "@/features/rules/writing";
import { families, stateWords } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { useFoundWhileWriting } from "@/queries/findings";
import { usePlan, widths, type Width } from "@/queries/plan";
import type { Family } from "@/api/client";
import { isOpen, useShown } from "@/queries/codicils";
import { useSession } from "@/queries/session";

const session = useSession();
const shown = useShown();
/** Who may change the rule as it is shown. */
const may = (permission: Parameters<typeof session.may>[0]) => shown.takesChanges && session.may(permission);
/** Other codicils that change the rule. */
const alsoIn = computed(() =>
  (draft.view?.codicils ?? []).filter((c) => c.id !== shown.codicil && isOpen(c.state)),
);
/** The rule is changed in the codicil that is shown. */
const changedHere = computed(() => (draft.view?.codicils ?? []).some((c) => c.id === shown.codicil));
const props = defineProps<{ rule?: number }>();
const emit = defineEmits<{ close: []; done: [] }>();
const catalog = useCatalog();
const plan = usePlan();

const selection = plan.selected!;
const family = selection.family;
const field = computed(() => catalog.field(selection.field));
const title = computed(() =>
  family === "follow-up"
    ? `After posting, to ${field.value?.label}`
    : `${families[family].label}: ${field.value?.label}`,
);
const draft = useRuleDraft(selection, props.rule);

const pane = ref<HTMLElement>();
/** What is being typed is taken before the rule is saved. */
async function settled() {
  const active = document.activeElement;
  if (active instanceof HTMLElement && pane.value?.contains(active)) {
    active.dispatchEvent(new Event("change", { bubbles: true }));
    await nextTick();
  }
  await written();
  await nextTick();
}
useEventListener("keydown", (event: KeyboardEvent) => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "s" && draft.change) {
    event.preventDefault();
    void settled().then(() => draft.keep());
  }
});
/** Puts the rule in force, or saves the change of one that is. */
async function enforce() {
  await settled();
  if (draft.isUnfinished || draft.busy) return;
  if (draft.isNew || draft.view?.state !== "in force") await draft.move("in force");
  else if (draft.dirty) await draft.keep();
}
function onKey(event: KeyboardEvent) {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
    event.preventDefault();
    event.stopPropagation();
    if (draft.needsReason) goOn();
    else void enforce();
  } else if (
    event.key === "Escape" &&
    !event.defaultPrevented &&
    // A list that is open, and the editor of formulas, take Escape for themselves.
    !(event.target as HTMLElement).matches("[aria-expanded=true], [contenteditable]")
  ) {
    event.stopPropagation();
    emit("close");
  }
}

/** Puts the cursor where the rule is written on. */
function toBeginning() {
  // Names and values come a moment after the pane; who has gone elsewhere meanwhile stays there.
  const from = document.activeElement;
  let frames = 60;
  const look = () => {
    if (document.activeElement !== from || !pane.value) return;
    const start = pane.value.querySelector("[data-begin]");
    const found = start?.querySelector(".chosen input, .second .value input");
    const input = found ?? (frames ? undefined : start?.querySelector("input, .cm-content"));
    if (input instanceof HTMLElement) input.focus();
    else if (frames--) requestAnimationFrame(look);
  };
  void nextTick(() => {
    look();
  });
}
watch(
  () => draft.isNew,
  (begun) => begun && toBeginning(),
  { immediate: true },
);
// What was pressed is gone once it is done: the cursor goes on in the plan.
watch(
  () => draft.busy,
  (busy) =>
    !busy &&
    void nextTick(() => {
      if (!draft.needsReason && !draft.problem && document.activeElement === document.body) emit("done");
    }),
  { flush: "post" },
);

/** The stations of the field that can be gone to from here. */
const beside = computed(() =>
  ((catalog.kind?.families ?? []) as Family[]).filter((f) => f !== "follow-up" || field.value?.kind),
);
const widthWords: Record<Width, () => string> = {
  here: () => `${catalog.typeName(plan.scope.type)} in ${plan.scope.company}`,
  company: () => `all of ${plan.scope.company}`,
  everywhere: () => "everywhere",
};

const broken = useBreaks(() => (draft.dirty && draft.view?.sound ? draft.change : undefined));

/** What is found about the rule as it stands here. */
const found = useFoundWhileWriting(() => (draft.view?.sound ? draft.change : undefined));

/** Does what was asked about, with the reason. */
function goOn() {
  if (!reason.value.trim()) return;
  void (draft.asked === "keep" ? draft.keep(reason.value) : draft.move("in force", reason.value));
}
/** Puts an earlier version into the editor, where it is looked at before it is saved. */
function takeBack(version: Parameters<typeof draft.putBack>[0]) {
  draft.putBack(version);
  void nextTick(() => pane.value?.querySelector(".sentence")?.scrollIntoView({ block: "nearest" }));
}
const retiring = ref(false);
const reason = ref("");
const reasonInput = ref<HTMLInputElement>();
const impact = ref<HTMLElement>();
watch(
  () => draft.needsReason,
  (why) =>
    why &&
    void nextTick(() => {
      impact.value?.scrollIntoView({ block: "start" });
      reasonInput.value?.focus({ preventScroll: true });
    }),
);
// A reason is for one change; the next has its own.
watch([() => draft.view?.id, () => draft.change?.version], () => (draft.needsReason = reason.value = ""));
</script>

<template>
  <aside
    v-if="field"
    ref="pane"
    class="pane"
    :class="`family-${family}`"
    :aria-label="title"
    @keydown="onKey"
    @input="draft.typing = true"
    @focusout="draft.typing = false"
  >
    <header>
      <span class="stations" role="group" :aria-label="`Stations of ${field.label}`">
        <button
          v-for="f in beside"
          :key="f"
          type="button"
          :class="`family-${f}`"
          :aria-pressed="f === family"
          :aria-label="families[f].label"
          :title="families[f].label"
          @click="plan.selected = { field: selection.field, family: f }"
        >
          <FamilyGlyph :family="f" />
        </button>
      </span>
      <button
        type="button"
        class="plain close"
        aria-label="Close the rule"
        title="Esc"
        @click="emit('close')"
      >
        ×
      </button>
      <h2>{{ title }}</h2>
    </header>

    <ol v-if="draft.rules.length > 1" class="order" aria-label="Rules here, the one that goes first on top">
      <li v-for="r in draft.rules" :key="r.id">
        <button type="button" :class="{ open: r.id === draft.change?.id }" @click="draft.show(r.id)">
          <span class="number">{{ r.id }}</span> {{ r.phrase }}
          <em v-if="r.state !== 'in force'">{{ stateWords[r.state] }}</em>
          <em v-else-if="draft.acts.find((a) => a.rule === r.id)?.did === 'beaten'">beaten</em>
        </button>
      </li>
    </ol>

    <div v-if="!draft.change" class="none">
      <p v-if="!draft.rules.length" class="empty">No {{ families[family].label.toLowerCase() }} rule here.</p>
      <button v-if="may('rules.change')" type="button" class="button first" @click="draft.begin">
        {{ draft.leftBehind ? "Restore" : "Write a rule" }}
      </button>
    </div>

    <template v-else>
      <p class="sentence">{{ draft.view?.sentence }}</p>
      <p class="life">
        <template v-if="draft.isNew">New, not saved yet</template>
        <template v-else-if="draft.view">
          Rule {{ draft.view.id }}, {{ stateWords[draft.view.state]
          }}<template v-if="changedHere"> with codicil {{ shown.codicil }}</template
          >, version {{ draft.view.version }}<template v-if="draft.dirty">, changed, not saved</template> ·
          <RouterLink :to="`/proofs?rule=${draft.view.id}`"
            >{{ draft.view.proofs.length }}
            {{ draft.view.proofs.length === 1 ? "proof" : "proofs" }}</RouterLink
          >
        </template>
      </p>
      <p v-if="alsoIn.length" class="also" role="status">
        {{ draft.view?.state === "draft" ? "New in" : "Also changed in" }}
        <template v-for="(c, i) in alsoIn" :key="c.id"
          ><template v-if="i">, </template
          ><RouterLink :to="`/codicils/${c.id}`">codicil {{ c.id }}, {{ c.title }}</RouterLink></template
        >
      </p>
      <p v-if="draft.others.length"><PresentPeople :people="draft.others" /></p>
      <div v-if="draft.overtaken" class="overtaken" role="status">
        <p>
          {{ draft.overtaken.by }} saved version {{ draft.overtaken.view.version }} of this rule meanwhile:
          {{ draft.overtaken.view.sentence }} What you wrote is still here.
        </p>
        <button type="button" class="button" @click="draft.settle('theirs')">Use theirs</button>
        <button type="button" class="button" @click="draft.settle('mine')">Continue with mine</button>
      </div>
      <section v-if="plan.hasDocument" class="told" aria-label="On this test document">
        <h3>On this test document</h3>
        <ActTold v-if="draft.act" :act="draft.act" part="deed" />
        <p v-else class="quiet">it does not run</p>
      </section>
      <p v-if="draft.problem" class="wrong" role="alert">{{ draft.problem }}</p>

      <p v-if="broken.length" class="breaks" role="status">
        This would break {{ broken.length }} {{ broken.length === 1 ? "proof" : "proofs" }}:
        <template v-for="(b, i) in broken.slice(0, 5)" :key="b.proof"
          ><template v-if="i">, </template
          ><RouterLink :to="`/proofs?proof=${b.proof}`">proof {{ b.proof }}</RouterLink> ({{
            b.error || b.differences[0]?.label || b.differences[0]?.what
          }})</template
        ><template v-if="broken.length > 5"> and {{ broken.length - 5 }} more</template>.
      </p>

      <section v-if="found.length" class="found" aria-label="Findings about this rule">
        <FindingItem
          v-for="f in found.filter((one) => !one.silenced)"
          :key="f.key"
          :finding="f"
          :beside="draft.change.id"
        />
      </section>

      <div class="modes" role="tablist" aria-label="Show the rule as">
        <button type="button" role="tab" :aria-selected="!draft.asFormula" @click="draft.asFormula = false">
          Sentence
        </button>
        <button
          type="button"
          role="tab"
          :aria-selected="draft.asFormula"
          :disabled="draft.isUnfinished && !draft.asFormula"
          :title="
            draft.isUnfinished && !draft.asFormula
              ? 'Finish the sentence first, so that none of it is lost'
              : ''
          "
          @click="draft.asFormula = true"
        >
          Formula
        </button>
      </div>
      <div v-if="draft.isNew" class="widths" role="group" aria-label="Where it applies">
        <button
          v-for="w in widths"
          :key="w"
          type="button"
          :aria-pressed="draft.width === w"
          @click="draft.widen(w)"
        >
          {{ widthWords[w]() }}
        </button>
      </div>
      <RuleEditor
        v-model="draft.change.body"
        v-model:name="draft.change.name"
        v-model:unfinished="draft.unfinished"
        :view="draft.view"
        :field="field"
        :as-formula="draft.asFormula"
        @formula="draft.asFormula = true"
      />

      <section v-if="draft.act?.facts.length" class="told facts" aria-label="Values that decided it">
        <h3>Values that decided it</h3>
        <ActTold :act="draft.act" part="facts" />
      </section>

      <div v-if="draft.needsReason" ref="impact">
        <RuleImpact
          :rule="draft.view!.id"
          :version="draft.view!.version"
          :change="draft.asked === 'keep' ? draft.change : undefined"
          open
        />
      </div>
      <footer v-if="draft.needsReason">
        <p class="asks" role="alert">{{ draft.needsReason }}.</p>
        <input
          ref="reasonInput"
          v-model="reason"
          class="line reason"
          aria-label="Reason to put it in force"
          placeholder="Reason"
          @keydown.enter="goOn"
        />
        <button type="button" class="button first" :disabled="draft.busy || !reason.trim()" @click="goOn">
          {{ draft.asked === "keep" ? "Save anyway" : "Put in force anyway" }}
        </button>
        <button type="button" class="button" @click="draft.needsReason = ''">Cancel</button>
      </footer>
      <footer v-else-if="retiring">
        <span
          >Retire this rule? {{ draft.view?.proofs.length }}
          {{ draft.view?.proofs.length === 1 ? "proof names" : "proofs name" }} it.</span
        >
        <button type="button" class="button first" @click="((retiring = false), draft.move('retired'))">
          Retire
        </button>
        <button type="button" class="button" @click="retiring = false">Cancel</button>
      </footer>
      <footer v-else-if="may('rules.change') || may('rules.force')">
        <button
          v-if="
            (shown.codicil ? may('rules.change') : may('rules.force')) &&
            ((draft.view?.state !== 'in force' && draft.view?.state !== 'retired') || draft.isNew)
          "
          type="button"
          class="button first"
          :disabled="draft.busy || draft.isUnfinished || (draft.view && !draft.view.sound)"
          :title="
            draft.isUnfinished
              ? 'Finish the sentence first'
              : draft.view?.sound
                ? 'Ctrl Enter'
                : 'Correct the errors first'
          "
          @click="enforce"
        >
          {{ shown.codicil ? `Put in codicil ${shown.codicil}` : "Put in force" }}
        </button>
        <button
          v-if="may('rules.change') && (draft.dirty || draft.isNew) && !(shown.codicil && draft.isNew)"
          type="button"
          class="button"
          :class="{ first: draft.view?.state === 'in force' && !draft.isNew }"
          :disabled="draft.busy || draft.isUnfinished"
          title="Ctrl S"
          @click="draft.keep()"
        >
          {{ draft.isNew || draft.view?.state === "draft" ? "Save draft" : "Save change" }}
        </button>
        <button
          v-if="draft.written"
          type="button"
          class="button"
          :disabled="draft.busy"
          @click="draft.revert"
        >
          {{ draft.isNew ? "Discard" : "Discard change" }}
        </button>
        <template v-if="!draft.dirty && !draft.isNew">
          <button
            v-if="may('rules.force') && draft.view?.state === 'in force'"
            type="button"
            class="button"
            :disabled="draft.busy"
            @click="draft.move('suspended')"
          >
            Suspend
          </button>
          <button
            v-if="may('rules.change') && draft.view?.state === 'draft'"
            type="button"
            class="button"
            :disabled="draft.busy"
            @click="draft.discard"
          >
            Discard
          </button>
          <button
            v-if="draft.view?.state === 'retired'"
            type="button"
            class="button first"
            :disabled="draft.busy"
            @click="draft.move('draft')"
          >
            Make it a draft again
          </button>
          <button
            v-if="draft.view?.state === 'in force' || draft.view?.state === 'suspended'"
            type="button"
            class="button"
            :disabled="draft.busy"
            @click="retiring = true"
          >
            Retire
          </button>
        </template>
      </footer>
      <button v-if="!draft.isNew && !draft.dirty" type="button" class="plain another" @click="draft.begin">
        Write another rule
      </button>
      <p v-if="draft.view?.reason && draft.view.state === 'in force' && !draft.isNew" class="quiet forced">
        In force with a reason: “{{ draft.view.reason }}”
      </p>
      <RuleImpact
        v-if="
          draft.view &&
          !draft.isNew &&
          !draft.dirty &&
          draft.view.sound &&
          draft.view.state !== 'in force' &&
          !draft.needsReason
        "
        :rule="draft.view.id"
        :version="draft.view.version"
      />
      <RuleProofs
        v-if="draft.view && !draft.isNew && !draft.dirty && draft.view.sound"
        :rule="draft.view.id"
        :version="draft.view.version"
      />
      <RuleUsed
        v-if="draft.view && !draft.isNew && draft.view.state !== 'draft'"
        :rule="draft.view.id"
        :version="draft.view.version"
      />
      <RuleHistory
        v-if="draft.view && !draft.isNew"
        :key="draft.view.id"
        :rule="draft.view.id"
        :version="draft.view.version"
        :may-change="may('rules.change') && draft.view.state !== 'retired'"
        @restore="takeBack"
      />
      <dl v-if="draft.view?.body.note.why && !draft.isNew" class="note">
        <dt>Asked by</dt>
        <dd>
          {{ draft.view.body.note.askedBy || "nobody named"
          }}<template v-if="draft.view.body.note.askedOn">, {{ draft.view.body.note.askedOn }}</template>
        </dd>
        <dt>Why</dt>
        <dd>{{ draft.view.body.note.why }}</dd>
      </dl>
    </template>
  </aside>
</template>

<style scoped>
.overtaken {
  border-left: 3px solid var(--validate);
  background: var(--paper);
  padding: 6px 10px;
  margin: 6px 0;
}
.overtaken .button {
  margin-right: 8px;
}
.pane {
  width: 384px;
  flex: none;
  overflow: auto;
  border-left: 1px solid var(--rule-strong);
  background: var(--paper-raised);
  padding: 10px 18px 0;
  scroll-padding: 84px 0 64px;
}
header {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  position: sticky;
  top: -10px;
  background: var(--paper-raised);
  padding: 8px 0 6px;
  margin: -8px 0 0;
  z-index: 2;
}
h2 {
  color: var(--hue);
  width: 100%;
  overflow-wrap: anywhere;
}
.stations {
  display: flex;
  margin-left: -4px;
}
.stations button {
  background: none;
  border: 0;
  border-bottom: 2px solid transparent;
  padding: 3px 4px;
  line-height: 0;
  cursor: pointer;
  opacity: 0.55;
}
.stations button:hover,
.stations button:focus-visible {
  opacity: 1;
}
.stations [aria-pressed="true"] {
  opacity: 1;
  border-bottom-color: var(--hue);
}
.widths {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-bottom: 8px;
}
.widths button {
  font: inherit;
  color: inherit;
  background: none;
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 8px;
  cursor: pointer;
}
.widths [aria-pressed="true"] {
  border-color: var(--hue);
  background: var(--wash);
}
.close {
  font-size: 18px;
  text-decoration: none;
}
.order {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  border-top: 1px solid var(--rule);
}
.order button {
  display: block;
  width: 100%;
  text-align: left;
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--rule);
  padding: 4px 6px;
  cursor: pointer;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.order .open {
  background: var(--wash);
}
.order em {
  color: var(--ink-soft);
}
.number {
  display: inline-block;
  min-width: 20px;
  color: var(--ink-soft);
}
.sentence {
  font: 16px/1.4 var(--serif);
  margin: 12px 0 4px;
  min-height: 68px; /* so that what is below stands still while the sentence grows */
}
.life {
  margin: 0 0 10px;
  color: var(--ink-soft);
}
.told {
  border-left: 3px solid var(--hue);
  padding: 1px 0 1px 10px;
  margin: 0 0 12px;
}
.told p {
  margin: 0;
}
.told.facts {
  margin: 14px 0 0;
}
.told h3 {
  font: italic 14px/1.4 var(--serif);
  display: inline;
}
.wrong {
  color: var(--refused);
  margin: 0 0 10px;
}
.reason {
  flex: 1 1 100%;
}
.forced {
  margin: 8px 0 0;
}
.breaks {
  border-left: 3px solid var(--refused);
  padding-left: 10px;
  margin: 0 0 10px;
}
.asks {
  margin: 0;
}
.asks::first-letter {
  text-transform: uppercase;
}
.modes {
  display: flex;
  gap: 14px;
  border-bottom: 1px solid var(--rule);
  margin-bottom: 10px;
}
.modes button {
  font: inherit;
  background: none;
  border: 0;
  padding: 4px 0;
  color: var(--ink-soft);
  cursor: pointer;
  border-bottom: 2px solid transparent;
  margin-bottom: -1px;
}
.modes button[aria-selected="true"] {
  color: var(--ink);
  border-bottom-color: var(--hue);
}
footer {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin: 12px -18px 0;
  padding: 10px 18px;
  position: sticky;
  bottom: 0;
  background: var(--paper-raised);
  border-top: 1px solid var(--rule);
  z-index: 2;
}
.another {
  margin-top: 8px;
  padding-left: 0;
}
.note {
  margin: 14px 0 0;
  border-top: 1px solid var(--rule);
  padding-top: 8px;
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 3px 12px;
}
.note dt {
  color: var(--ink-soft);
}
.note dd {
  margin: 0;
}
</style>
