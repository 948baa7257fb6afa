import type { FunctionHelp, Name } from "@/api/client";

/** A word that a formula can be completed with. */
export interface Word {
  /** What it is called in the list: the name, or the label by which people know it. */
  shown: string;
  /** What is written. */
  written: string;
  /** Where the cursor goes, from the end of what is written. */
  back: number;
  kind: "field" | "function" | "keyword" | "value";
  detail: string;
  info?: string;
}

const keywords = [
  "and",
  "or",
  "not",
  "between",
  "in",
  "if",
  "then",
  "else",
  "for",
  "return",
  "some",
  "every",
  "satisfies",
  "instance of",
  "true",
  "false",
  "null",
];

export function wordOfName(n: Name): Word {
  return { shown: n.name, written: n.name, back: 0, kind: "field", detail: `${n.label}: ${n.type}` };
}

export function wordOfFunction(f: FunctionHelp): Word {
  if (f.form) {
    const info = `${f.help}\n${f.example}`;
    return { shown: f.name, written: f.signature, back: 0, kind: "keyword", detail: f.signature, info };
  }
  const bare = f.signature.startsWith(`${f.name}()`);
  return {
    shown: f.name,
    written: `${f.name}()`,
    back: bare ? 0 : 1,
    kind: "function",
    detail: f.signature.slice(f.name.length),
    info: `${f.help}\n${f.example}`,
  };
}

interface Found {
  /** How many characters before the cursor the words stand for. */
  length: number;
  words: Word[];
}

/**
 * What the text before the cursor can be completed to. Names and functions may have several words, so the longest
 * run of words that begins something counts: in "amount > string le" it is "string le". Fields are found by their
 * name and by their label.
 */
export function complete(
  before: string,
  names: Name[],
  functions: FunctionHelp[],
  explicit: boolean,
): Found | undefined {
  const run = /[\p{L}_][\p{L}\p{N}_.]*(?: [\p{L}\p{N}_.]+)* ?$/u.exec(before)?.[0] ?? "";
  const parts = run.trimEnd().split(" ");
  // A space goes on with a name of several words; behind "and " or behind a whole name something else begins.
  const space = run.endsWith(" ") ? " " : "";
  for (let i = 0; i < parts.length && run; i++) {
    const word = parts.slice(i).join(" ").toLowerCase();
    const typed = word + space;
    let words = matching(typed, names, functions);
    // A name that stands there whole is finished: a list of its other forms would only lie over what is said of it.
    if (!explicit && names.some((n) => n.name.toLowerCase() === word)) {
      if (space) return undefined;
      words = words.filter((w) => w.written.toLowerCase().startsWith(word));
      if (!words.length) return undefined;
    }
    if (space)
      words = keywords.includes(word)
        ? []
        : words.filter((w) => [w.shown, w.detail].some((text) => text.toLowerCase().startsWith(typed)));
    if (words.length) return { length: typed.length, words };
  }
  return explicit && (!run || space) ? { length: 0, words: matching("", names, functions) } : undefined;
}

/** How well a word fits what was typed: 0 begins with it, 1 a later part does, 2 holds it somewhere, 3 not at all. */
function distance(text: string, typed: string): number {
  const lower = text.toLowerCase();
  if (lower.startsWith(typed)) return 0;
  const at = lower.indexOf(typed);
  if (at < 0) return 3;
  return /[\s._]/.test(lower[at - 1]!) ? 1 : 2;
}

const most = 60;

export function matching(query: string, names: Name[], functions: FunctionHelp[]): Word[] {
  const typed = query.toLowerCase();
  const found: { word: Word; rank: number }[] = [];
  const add = (word: Word, rank: number) => {
    if (rank < 3 && word.written.toLowerCase() !== typed) found.push({ word, rank });
  };
  for (const n of names) {
    const byName = distance(n.name, typed);
    const byLabel = typed.length > 1 ? distance(n.label, typed) + 0.5 : 3;
    // What stands behind a link comes after what the document has itself.
    add(wordOfName(n), Math.min(byName, byLabel) + depth(n.name, query) * 0.1);
  }
  for (const f of functions) add(wordOfFunction(f), distance(f.name, typed) + 0.05);
  for (const k of keywords)
    if (typed && k.startsWith(typed) && !functions.some((f) => f.name === k))
      add({ shown: k, written: k, back: 0, kind: "keyword", detail: "" }, 0.02);
  found.sort((a, b) => a.rank - b.rank);
  return found.slice(0, most).map((f) => f.word);
}

function depth(name: string, query: string): number {
  return Math.max(0, name.split(".").length - query.split(".").length);
}

/** The name at a place of a formula, longest first: "vendor.payment_terms" on any of its letters. */
export function nameAt(text: string, at: number, names: Map<string, Name>): Name | undefined {
  const part = /[\p{L}\p{N}_.]/u;
  let from = at;
  let to = at;
  while (from > 0 && part.test(text[from - 1]!)) from--;
  while (to < text.length && part.test(text[to]!)) to++;
  for (let whole = text.slice(from, to); whole; whole = whole.slice(0, Math.max(0, whole.lastIndexOf("."))))
    if (names.has(whole)) return names.get(whole);
  return undefined;
}

/** The field that the text before the cursor is compared with, and what stands of that text. */
export function textFor(before: string, names: Map<string, Name>): { name: Name; typed: string } | undefined {
  const found = /([\p{L}_][\p{L}\p{N}_.]*)\s*(?:!?=|in\s*[([][^()[\]]*)\s*"([^"]*)$/u.exec(before);
  const name = found && names.get(found[1]!);
  return name ? { name, typed: found[2]! } : undefined;
}

/** The function whose name stands at a place, or in whose arguments the place is. */
export function functionAt(text: string, at: number, functions: FunctionHelp[]): FunctionHelp | undefined {
  let best: { f: FunctionHelp; length: number } | undefined;
  for (const f of functions) {
    for (let i = text.indexOf(f.name); i >= 0; i = text.indexOf(f.name, i + 1)) {
      const end = i + f.name.length;
      const alone = !/[\p{L}\p{N}_.]/u.test(text[i - 1] ?? " ") && !/[\p{L}\p{N}_]/u.test(text[end] ?? " ");
      if (alone && at >= i && at <= end && (best?.length ?? 0) < f.name.length)
        best = { f, length: f.name.length };
    }
  }
  return best?.f;
}
