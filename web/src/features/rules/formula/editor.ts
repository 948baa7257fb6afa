import {
  autocompletion,
  closeBrackets,
  closeBracketsKeymap,
  completionKeymap,
} from "@codemirror/autocomplete";
import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import { history, historyKeymap, standardKeymap } from "@codemirror/commands";
import { bracketMatching } from "@codemirror/language";
import { setDiagnostics, type Diagnostic } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, hoverTooltip, keymap, placeholder, type Tooltip } from "@codemirror/view";
import type { FormulaAnswer, FunctionHelp, Name, Schemas } from "@/api/client";
import type { Choice } from "@/queries/choices";
import "@/features/rules/formula/editor.css";
import { stepAt, valueOf } from "@/features/rules/formula/explanation";
import { formulaLanguage } from "@/features/rules/formula/language";
import { complete, functionAt, nameAt, textFor, type Word } from "@/features/rules/formula/words";

/** What the editor asks of the component around it; looked up whenever it is needed. */
export interface Surroundings {
  names: () => Name[];
  functions: () => FunctionHelp[];
  /** The codes that a field takes. */
  choices: (name: Name) => Choice[];
  answer: () => FormulaAnswer | undefined;
  changed: (text: string) => void;
  moved: (at: number) => void;
  /** Takes the first correction that is offered; false: there is none. */
  correct: () => boolean;
  label: string;
  describedBy: string;
  placeholder: string;
}

function asCompletion(word: Word): Completion {
  return {
    label: word.shown,
    detail: word.detail,
    type: word.kind,
    info: word.info,
    apply: (view, _completion, from, to) => insert(view, word.written, word.back, from, to),
  };
}

/** Stands in a form for what is to be filled in. */
const gap = "…";

/** Writes a text, with the cursor so many letters before its end; or on the first gap in it, to be written over. */
export function insert(
  view: EditorView,
  text: string,
  back: number,
  from = view.state.selection.main.from,
  to = view.state.selection.main.to,
) {
  const hole = text.indexOf(gap);
  view.dispatch({
    changes: { from, to, insert: text },
    selection:
      hole < 0
        ? { anchor: from + text.length - back }
        : { anchor: from + hole, head: from + hole + gap.length },
    userEvent: "input.complete",
    scrollIntoView: true,
  });
}

/**
 * What is proposed at the cursor. Ranked here, by name and by label, so it is found anew with every letter; found
 * with the letter itself (`update`), so that the list that is shown is never an older one and Enter always takes from it.
 */
function proposals(s: Surroundings) {
  const propose = (context: CompletionContext): CompletionResult | null => {
    const before = context.state.doc.sliceString(0, context.pos);
    const quoted = (before.match(/"/g) ?? []).length % 2;
    const found = quoted ? codes(s, before, context.pos) : words(s, before, context);
    return found && { ...found, filter: false, update: (_former, _from, _to, now) => propose(now) };
  };
  return propose;
}

function words(s: Surroundings, before: string, context: CompletionContext) {
  const found = complete(before, s.names(), s.functions(), context.explicit);
  return found ? { from: context.pos - found.length, options: found.words.map(asCompletion) } : null;
}

/** Inside a text that is compared with a field: the codes that the field takes. */
function codes(s: Surroundings, before: string, at: number) {
  const found = textFor(before, new Map(s.names().map((n) => [n.name, n])));
  if (!found) return null;
  const typed = found.typed.toLowerCase();
  const options = s
    .choices(found.name)
    .filter((c) => `${c.value} ${c.label}`.toLowerCase().includes(typed))
    .map((c): Completion => ({ label: c.value, detail: c.label, type: "value" }));
  return options.length ? { from: at - found.typed.length, options } : null;
}

function line(parent: HTMLElement, kind: string, text: string) {
  const element = parent.appendChild(document.createElement(kind));
  element.textContent = text;
}

/** What is told of the part under the pointer: what it is, and its value for the test document. */
export function toldAt(s: Surroundings, text: string, at: number): HTMLElement | undefined {
  const name = nameAt(text, at, new Map(s.names().map((n) => [n.name, n])));
  const called = name ? undefined : functionAt(text, at, s.functions());
  const step = stepAt(s.answer()?.steps ?? [], at);
  if (!name && !called && !step) return undefined;
  const box = document.createElement("div");
  box.className = "f-told";
  if (name) line(box, "p", `${name.label}: ${name.type}`);
  if (called) {
    line(box, "code", called.signature);
    line(box, "p", called.help);
    line(box, "code", called.example);
  }
  if (step) line(box, "p", `${step.text} is ${valueOf(step)}`);
  return box;
}

function hovering(s: Surroundings) {
  return hoverTooltip((view, at): Tooltip | null => {
    const box = toldAt(s, view.state.doc.toString(), at);
    return box ? { pos: at, above: true, create: () => ({ dom: box }) } : null;
  });
}

export function makeEditor(parent: HTMLElement, text: string, s: Surroundings): EditorView {
  return new EditorView({
    parent,
    state: EditorState.create({
      doc: text,
      extensions: [
        formulaLanguage(),
        history(),
        bracketMatching(),
        closeBrackets(),
        // The list follows every letter at once; Enter means what stands in it.
        autocompletion({
          override: [proposals(s)],
          icons: false,
          interactionDelay: 0,
          activateOnTypingDelay: 0,
        }),
        hovering(s),
        EditorView.lineWrapping,
        EditorView.cspNonce.of(
          document.querySelector<HTMLMetaElement>("meta[name=csp-nonce]")?.content ?? "",
        ),
        placeholder(s.placeholder),
        EditorView.contentAttributes.of({
          "aria-label": s.label,
          "aria-describedby": s.describedBy,
          spellcheck: "false",
          autocapitalize: "off",
        }),
        keymap.of([
          { key: "Alt-Enter", run: s.correct },
          ...closeBracketsKeymap,
          ...completionKeymap,
          ...historyKeymap,
          ...standardKeymap,
        ]),
        EditorView.updateListener.of((update) => {
          if (update.docChanged) s.changed(update.state.doc.toString());
          if (update.docChanged || update.selectionSet) s.moved(update.state.selection.main.head);
        }),
      ],
    }),
  });
}

/** Underlines what the server found, as far as it still stands in the text. */
export function mark(view: EditorView, problems: Schemas["RuleProblem"][]) {
  const length = view.state.doc.length;
  const diagnostics = problems.map((p): Diagnostic => {
    const from = Math.min(p.start, length);
    return { from, to: Math.min(Math.max(p.end, from), length), severity: p.severity, message: p.message };
  });
  view.dispatch(setDiagnostics(view.state, diagnostics));
}
