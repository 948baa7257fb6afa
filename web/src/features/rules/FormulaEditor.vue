<script setup lang="ts">
import type { EditorView } from "@codemirror/view";
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, useId, useTemplateRef, watch } from "vue";
import type { FormulaAsk, RuleBody, Schemas } from "@/api/client";
import FormulaSteps from "@/features/rules/FormulaSteps.vue";
import FormulaWords from "@/features/rules/FormulaWords.vue";
import { useFormulaCheck } from "@/features/rules/formulaCheck";
import { choicesOf } from "@/queries/choices";
import { format } from "@/queries/format";
import { insert, makeEditor, mark } from "@/features/rules/formula/editor";
import { functionAt, nameAt, type Word } from "@/features/rules/formula/words";
import { useCatalog } from "@/queries/catalog";
import { usePlan } from "@/queries/plan";
import { useFunctions, useNames } from "@/queries/names";

const formula = defineModel<string>({ required: true });
const props = defineProps<{
  label: string;
  part: FormulaAsk["part"];
  rule: Pick<RuleBody, "kind" | "target" | "family">;
  placeholder?: string;
}>();
const catalog = useCatalog();
const plan = usePlan();
const words = useNames(() => props.rule);
const functions = useFunctions();
const id = useId();

const names = computed(() => words.names);
const byName = computed(() => new Map(names.value.map((n) => [n.name, n])));

const check = useFormulaCheck(() => ({
  kind: props.rule.kind,
  target: props.rule.target,
  family: props.rule.family,
  part: props.part,
  formula: formula.value,
  document: plan.hasDocument && plan.scope.kind === props.rule.kind ? plan.document : undefined,
  line: plan.line,
  format,
}));
/** What was found, as long as it is about the formula that stands there. */
const current = computed(() => (check.checked === formula.value ? check.answer : undefined));
const problems = computed<Schemas["RuleProblem"][]>(() => check.answer?.problems ?? []);

const host = useTemplateRef<HTMLElement>("host");
const view = shallowRef<EditorView>();
const cursor = ref(0);
onMounted(() => {
  view.value = makeEditor(host.value!, formula.value, {
    names: () => names.value,
    functions: () => functions.data ?? [],
    choices: (n) => choicesOf(catalog.field(n.field, n.kind || undefined)),
    answer: () => current.value,
    changed: (text) => (formula.value = text),
    moved: (at) => (cursor.value = at),
    correct: () => correct(),
    label: props.label,
    describedBy: `${id}-problems`,
    placeholder: props.placeholder ?? "",
  });
});
onBeforeUnmount(() => view.value?.destroy());

watch(formula, (text) => {
  const editor = view.value;
  if (!editor || editor.state.doc.toString() === text) return;
  editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: text } });
});
watch([problems, view], () => {
  if (!view.value) return;
  mark(view.value, problems.value);
  view.value.contentDOM.setAttribute(
    "aria-invalid",
    String(problems.value.some((p) => p.severity === "error")),
  );
});

/** What the cursor is on, or in. */
const here = computed(() => {
  const name = nameAt(formula.value, cursor.value, byName.value);
  if (name) return `${name.label}: ${name.type}`;
  return functionAt(formula.value, cursor.value, functions.data ?? [])?.signature ?? "";
});

/**
 * What was asked for while the answer was still about an earlier text, whose places no longer hold: it
 * is done with the answer about the text as it stood then, or not at all.
 */
let owed: { formula: string; problem?: Schemas["RuleProblem"] } | undefined;
watch(current, (answer) => {
  if (!answer || !owed) return;
  const { formula: text, problem } = owed;
  owed = undefined;
  if (text === formula.value) correct(problem);
});

/** Writes what is suggested against a problem, or against the first; false: nothing is suggested. */
function correct(asked?: Schemas["RuleProblem"]): boolean {
  const editor = view.value;
  if (!editor || !formula.value.trim()) return false;
  if (!current.value) {
    owed = { formula: formula.value, problem: asked };
    return true;
  }
  const suggested = current.value.problems.filter((p) => p.suggestion);
  const found =
    suggested.find((p) => p === asked) ?? suggested.find((p) => !asked || p.message === asked.message);
  if (!found?.suggestion) return false;
  insert(editor, found.suggestion, 0, found.start, found.end);
  editor.focus();
  return true;
}

function put(word: Word) {
  const editor = view.value;
  if (!editor) return;
  // What is put in does not grow together with the word before it.
  const before = editor.state.doc.sliceString(0, editor.state.selection.main.from);
  insert(editor, (/[\p{L}\p{N}_)"\]]$/u.test(before) ? " " : "") + word.written, word.back);
  editor.focus();
}

const explaining = ref(false);
const helping = ref(false);
/** Shows a part of the formula where it stands. */
function show(start: number, end: number) {
  view.value?.dispatch({ selection: { anchor: start, head: end } });
}
</script>

<template>
  <div class="formula">
    <div class="head">
      <span class="field-label" @click="view?.focus()">{{ label }}</span>
      <button type="button" class="plain" :aria-expanded="helping" @click="helping = !helping">
        Fields and functions
      </button>
    </div>
    <div ref="host" class="box" />
    <div class="foot">
      <button
        v-if="current?.value !== undefined"
        type="button"
        class="plain result"
        :aria-expanded="explaining"
        title="Explain the value"
        @click="explaining = !explaining"
      >
        <span class="value">= {{ current.value }}</span> {{ explaining ? "hide why" : "why?" }}
      </button>
      <span v-else-if="current?.type" class="quiet">gives a {{ current.type }}</span>
      <span class="spring" />
      <span class="here" aria-live="polite">{{ here }}</span>
    </div>
    <ul :id="`${id}-problems`" class="problems">
      <li v-for="(p, i) in problems" :key="i" :class="p.severity">
        <span>{{ p.message }} (line {{ p.line }}, column {{ p.column }})</span>
        <button v-if="p.suggestion" type="button" class="plain" title="Alt Enter" @click="correct(p)">
          Write {{ p.suggestion }}
        </button>
      </li>
      <li v-for="(f, i) in current?.failures" :key="`f${i}`" class="error">
        On this document: {{ f.message }} in <code>{{ formula.slice(f.start, f.end) }}</code>
      </li>
      <li v-if="check.problem" class="error" role="alert">{{ check.problem }}</li>
    </ul>
    <FormulaSteps v-if="explaining && current" :steps="current.steps" @show="show" />
    <FormulaWords
      v-if="helping"
      :names="names"
      :functions="functions.data ?? []"
      @insert="put"
      @close="((helping = false), view?.focus())"
    />
  </div>
</template>

<style scoped>
.head,
.foot {
  display: flex;
  align-items: baseline;
  gap: 8px;
}
.spring {
  flex: 1;
}
.head .plain {
  margin-left: auto;
  font-size: 12px;
}
.foot {
  min-height: 20px;
  font-size: 12px;
}
.value {
  font: 600 12px/1.4 var(--mono);
}
.here {
  color: var(--ink-soft);
  text-align: right;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.problems {
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 12px;
}
.problems li {
  padding: 2px 0;
}
.problems .plain {
  text-align: left;
}
.problems .error {
  color: var(--refused);
}
.problems .warning {
  color: var(--default);
}
</style>
