<script setup lang="ts">
import WholeInput from "@/ui/WholeInput.vue";
import DateInput from "@/ui/DateInput.vue";
import SelectBox from "@/ui/SelectBox.vue";
import { computed, defineAsyncComponent } from "vue";
import type { Conditions, Field, RuleBody, RuleView, Schemas } from "@/api/client";
import ConditionEditor from "@/features/rules/ConditionEditor.vue";
import CheckEffect from "@/features/rules/CheckEffect.vue";
import EntryEffect from "@/features/rules/EntryEffect.vue";
import ValueEffect from "@/features/rules/ValueEffect.vue";
import { inSentence } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";

// Who writes no formula does not load its editor.
const FormulaEditor = defineAsyncComponent(() => import("@/features/rules/FormulaEditor.vue"));

const body = defineModel<RuleBody>({ required: true });
/** What of the sentence is not finished. */
const unfinished = defineModel<{ when?: Conditions; must?: Conditions }>("unfinished", {
  default: () => ({}),
});
/** The name that a person gave it; blank: it is called by what it does. */
const name = defineModel<string>("name", { default: "" });
const props = defineProps<{ view?: RuleView; field: Field; asFormula: boolean }>();
const tags = computed({
  get: () => (body.value.note.tags ?? []).join(", "),
  set: (typed: string) => {
    const all = [
      ...new Set(
        typed
          .split(",")
          .map((t) => t.trim())
          .filter(Boolean),
      ),
    ];
    body.value.note.tags = all.length ? all : undefined;
  },
});
const emit = defineEmits<{ formula: [] }>();
const catalog = useCatalog();

/** What is wrong besides the formulas, which tell it themselves where they are shown. */
const otherProblems = computed<Schemas["RuleProblem"][]>(() =>
  (props.view?.problems ?? []).filter(
    (p) => !["when", "value", "must"].includes(p.part) || !props.asFormula || !textOf(p.part),
  ),
);
/** What the server read from the formulas that stand here now, and not from those before. */
const read = computed(() => {
  const { view } = props;
  const effect = view?.body.effect;
  const value = view && (effect?.value ?? "") === (body.value.effect.value ?? "");
  return {
    when: view?.body.when === body.value.when ? view.when : undefined,
    must: (effect?.must ?? "") === (body.value.effect.must ?? "") ? view?.must : undefined,
    constant: value ? view.constant : undefined,
    isConstant: value ? !!view.isConstant : false,
    fieldValue: value ? view.fieldValue : undefined,
    lookUp: value ? view.lookUp : undefined,
    lineOf: value ? view.lineOf : undefined,
  };
});
function textOf(part: string): string {
  return { when: body.value.when, value: body.value.effect.value, must: body.value.effect.must }[part] ?? "";
}

const family = computed(() => body.value.family);
type Moment = NonNullable<RuleBody["effect"]["moments"]>[number];
const moments: Moment[] = ["typing", "saving", "posting"];
const momentWords: Record<Moment, string> = {
  typing: "while typing",
  saving: "on saving",
  posting: "on posting",
};
/** When a check speaks; none chosen in the rule means all of them. */
function speaks(moment: Moment): boolean {
  return !body.value.effect.moments?.length || body.value.effect.moments.includes(moment);
}
function setMoment(moment: Moment, on: boolean) {
  const chosen = moments.filter((m) => (m === moment ? on : speaks(m)));
  body.value.effect.moments = chosen.length === moments.length ? undefined : chosen;
}
</script>

<template>
  <div class="editor">
    <div class="scope">
      <span class="word">For</span>
      <SelectBox
        :model-value="body.scope.types ?? []"
        multiple
        :placeholder="`all ${inSentence(catalog.kind?.kind.plural)}`"
        :label="`${catalog.kind?.kind.typeLabel} of the rule`"
        :options="(catalog.kind?.types ?? []).map((t) => ({ value: t.key, label: t.label }))"
        @change="body.scope.types = $event"
      />
      <span class="word">in</span>
      <SelectBox
        :model-value="body.scope.companies ?? []"
        multiple
        placeholder="all companies"
        label="Companies of the rule"
        :options="catalog.companyOptions"
        @change="body.scope.companies = $event"
      />
    </div>

    <FormulaEditor
      v-if="asFormula"
      v-model="body.when"
      part="when"
      :rule="body"
      label="When (leave blank for always)"
      placeholder='country = "JP" and credit_limit > 1200'
    />
    <ConditionEditor
      v-else
      :kind="body.kind"
      :target="body.target"
      :formula="body.when"
      :conditions="read.when"
      word="when"
      empty-words="Always."
      :unfinished="unfinished.when"
      @unfinished="unfinished = { ...unfinished, when: $event }"
      @formula="emit('formula')"
      @write="body.when = $event"
    />

    <EntryEffect v-if="family === 'entry'" v-model="body" :field="field" />
    <CheckEffect
      v-else-if="family === 'validate'"
      v-model="body"
      :field="field"
      :as-formula="asFormula"
      :must="read.must"
      :unfinished="unfinished.must"
      @formula="emit('formula')"
      @unfinished="unfinished = { ...unfinished, must: $event }"
    />
    <ValueEffect
      v-else
      v-model="body"
      :field="field"
      :as-formula="asFormula"
      :read="read"
      @formula="emit('formula')"
    />

    <ul v-if="otherProblems.length" class="problems">
      <!-- What is not written yet is still to do, not wrong. -->
      <li v-for="(p, i) in otherProblems" :key="i" :class="p.code === 'missing' ? 'quiet' : p.severity">
        {{ p.message }}
      </li>
    </ul>

    <details class="more">
      <summary>Name, occasions, days, priority and note</summary>
      <label class="name"
        ><span class="field-label">Name</span
        ><input
          v-model="name"
          class="line"
          aria-label="Name of the rule"
          maxlength="120"
          :placeholder="view?.proposedName"
      /></label>
      <div v-if="family !== 'follow-up'" class="two">
        <label><input v-model="body.on.new" type="checkbox" /> on new records</label>
        <label><input v-model="body.on.change" type="checkbox" /> on changes</label>
      </div>
      <template v-if="family === 'validate'">
        <fieldset class="choice moments">
          <legend class="field-label">Checked</legend>
          <label v-for="m in moments" :key="m">
            <input
              type="checkbox"
              :checked="speaks(m)"
              :disabled="speaks(m) && body.effect.moments?.length === 1"
              @change="setMoment(m, ($event.target as HTMLInputElement).checked)"
            />
            {{ momentWords[m] }}
          </label>
        </fieldset>
        <span class="field-label">Only when one of these fields changes (none: always)</span>
        <SelectBox
          :model-value="body.effect.whenChanged ?? []"
          multiple
          class="changed"
          placeholder="always"
          label="Only when these fields changed"
          :options="(catalog.kind?.kind.fields ?? []).map((f) => ({ value: f.key, label: f.label }))"
          @update:model-value="body.effect.whenChanged = $event.length ? $event : undefined"
        />
      </template>
      <div class="two">
        <label
          ><span class="field-label">From day</span><DateInput v-model="body.scope.from" label="From day"
        /></label>
        <label
          ><span class="field-label">Until day</span><DateInput v-model="body.scope.until" label="Until day"
        /></label>
        <label
          ><span class="field-label">Priority (lower first)</span><WholeInput v-model="body.priority"
        /></label>
        <label
          ><span class="field-label">Asked by</span><input v-model="body.note.askedBy" class="line"
        /></label>
        <label
          ><span class="field-label">Asked on</span><DateInput v-model="body.note.askedOn" label="Asked on"
        /></label>
      </div>
      <label
        ><span class="field-label">Why</span><textarea v-model="body.note.why" class="line" rows="2" />
      </label>
      <label
        ><span class="field-label">Tags, with commas</span
        ><input v-model.lazy="tags" class="line" aria-label="Tags"
      /></label>
    </details>
  </div>
</template>

<style scoped>
.editor {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
}
.scope {
  display: grid;
  grid-template-columns: 46px 1fr;
  gap: 6px;
  align-items: center;
}
.word {
  font: italic 14px/28px var(--serif);
}
.moments {
  display: flex;
  gap: 12px;
  margin-bottom: 8px;
}
.changed {
  margin-bottom: 8px;
}
.problems {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 12px;
}
.problems .error {
  color: var(--refused);
}
.problems .warning {
  color: var(--default);
}
.more summary {
  cursor: pointer;
  color: var(--ink-soft);
}
.name {
  display: block;
  margin-bottom: 8px;
}
.more[open] summary {
  margin-bottom: 8px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin-bottom: 8px;
}
</style>
