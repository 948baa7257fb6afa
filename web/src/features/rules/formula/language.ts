import { HighlightStyle, LRLanguage, LanguageSupport, syntaxHighlighting } from "@codemirror/language";
import { tags } from "@lezer/highlight";
import { parser } from "lezer-feel";

/** The formula language as the editor colours it; whether a formula is right only the server says. */
const language = LRLanguage.define({
  name: "formula",
  parser,
  languageData: { closeBrackets: { brackets: ["(", "[", "{", '"'] }, commentTokens: { line: "//" } },
});

/** Our own hues: names are ink, what joins is bold, functions slate, texts ochre, numbers verdigris. */
const colours = HighlightStyle.define([
  { tag: [tags.operatorKeyword, tags.controlKeyword, tags.definitionKeyword], class: "f-word" },
  {
    tag: [tags.function(tags.variableName), tags.standard(tags.function(tags.variableName))],
    class: "f-call",
  },
  { tag: [tags.string, tags.special(tags.string)], class: "f-text" },
  { tag: [tags.number, tags.bool, tags.null], class: "f-number" },
  { tag: [tags.compareOperator, tags.arithmeticOperator], class: "f-sign" },
  { tag: [tags.lineComment, tags.blockComment], class: "f-note" },
  { tag: tags.typeName, class: "f-type" },
]);

export function formulaLanguage(): LanguageSupport {
  return new LanguageSupport(language, syntaxHighlighting(colours));
}
