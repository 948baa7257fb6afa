import { computed, ref, shallowRef, watch } from "vue";
import {
  api,
  ask,
  signIns,
  type Document,
  type EnteredItem,
  type FieldOutcome,
  type Outcome,
  type RuleChange,
  type Schemas,
  type Field,
} from "@/api/client";
import { addressOf, column, parseAddress } from "@/api/address";
import { format } from "@/queries/format";

export interface Scope {
  kind: string;
  company: string;
  type: string;
  day: string;
}

type Changed = Schemas["Changes"]["rules"][number];

/** What is keyed for what balances. */
const remainder = "=";

export type Moment = "typing" | "saving" | "posting";

/**
 * A document that is being typed, and what its plan makes of it: every value that is
 * entered is taken through the plan on the server, an answer that is overtaken is dropped.
 */
export function useTrial(
  scope: Scope,
  moment: () => Moment,
  /** The rule that is being written: it acts as it stands, on top of the rules in force. */
  written: () => RuleChange | undefined,
  /** A person keys a record: a blank one is tried too, so that its defaults show, and values can be keyed twice. */
  keyed = false,
  /** The addresses of the fields of which the values that decided are told. */
  told: () => string[] = () => [],
) {
  /** What was entered, by address. */
  const entered = ref<Record<string, EnteredItem>>({});
  /** The numbers of the lines, in their order. */
  const lines = ref<number[]>([]);
  const record = ref("");
  const stored = ref<Document["stored"]>();
  const storedLines = ref<Document["storedLines"]>();
  const storedOrigins = ref<Document["storedOrigins"]>();
  /** What the document was a change of, while it is judged as a new one. */
  const changeOf = ref<Pick<Document, "record" | "stored" | "storedLines" | "storedOrigins">>();
  const reasons = ref<Record<string, string>>({});
  /** Who is taken to enter the document; "": the person at work. */
  const user = ref("");
  /** What was saved before, and all else that a proof carries. */
  const before = ref<Pick<Document, "previous" | "previousOfType" | "carried" | "preceding">>({});
  /** The changes on top of the rules in force that a document from elsewhere brought along. */
  const brought = ref<Changed[]>([]);
  // What comes from the server is replaced and never changed, so it need not be watched inside.
  const outcome = shallowRef<Outcome>();
  const problem = ref<string>();

  const hasDocument = computed(
    () => Object.keys(entered.value).length > 0 || lines.value.length > 0 || !!stored.value || !!record.value,
  );
  const changes = computed<Changed[]>(() => {
    const rule = written();
    if (!rule || rule.body.kind !== scope.kind) return brought.value;
    const own: Changed = {
      id: rule.id ?? 0,
      version: rule.version ?? 0,
      name: rule.name ?? "",
      state: "draft",
      ...rule.body,
    };
    return [...brought.value.filter((r) => r.id !== own.id), own];
  });
  const document = computed<Document>(() => {
    const header: Record<string, EnteredItem> = {};
    const rows = new Map(lines.value.map((n) => [n, {} as Record<string, EnteredItem>]));
    for (const [address, item] of Object.entries(entered.value)) {
      const { key, line } = parseAddress(address);
      if (line === 0) header[key] = item;
      else if (rows.has(line)) rows.get(line)![column(key)] = item;
    }
    return {
      ...scope,
      day: scope.day || undefined,
      changes: changes.value.length ? { rules: changes.value } : undefined,
      entered: header,
      lines: lines.value.length ? [...rows].map(([number, e]) => ({ number, entered: e })) : undefined,
      record: record.value || undefined,
      stored: stored.value,
      storedLines: storedLines.value,
      storedOrigins: storedOrigins.value,
      reasons: Object.keys(reasons.value).length ? reasons.value : undefined,
      user: user.value.trim() || undefined,
      ...before.value,
    };
  });

  const fields = computed(() => {
    const all = new Map<string, FieldOutcome>();
    for (const f of outcome.value?.fields ?? []) all.set(f.key, f);
    for (const line of outcome.value?.lines ?? [])
      for (const f of line.fields) all.set(addressOf(f.key, line.number), f);
    return all;
  });

  let asking = 0;
  let latest: Promise<void> = Promise.resolve();

  async function guard<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      const result = await work();
      problem.value = undefined;
      return result;
    } catch (error) {
      problem.value = (error as Error).message;
      return undefined;
    }
  }

  function tryDocument(): Promise<void> {
    latest = tryNow();
    return latest;
  }

  /** Waits until the last value that was entered has its consequences. */
  function settled(): Promise<void> {
    return latest;
  }

  // What could not be sent because nobody was signed in is sent when somebody is.
  watch(
    () => signIns.done,
    () => problem.value && void tryDocument(),
  );

  async function tryNow() {
    const turn = ++asking;
    if ((!hasDocument.value && !keyed) || !scope.type) {
      outcome.value = undefined;
      return;
    }
    await guard(async () => {
      const body = { document: document.value, format, moment: moment(), keyed, facts: told() };
      const result = await ask(api.POST("/try", { body }));
      if (turn !== asking) return;
      outcome.value = settledOn(result);
      entered.value = asRead();
    });
  }

  // Another way of writing writes the outcome anew.
  watch(format, () => void tryDocument());

  /**
   * What was typed as the values it was read as: another way of writing does not make other values of it. What is
   * keyed twice stays as it was typed, to be compared with what is typed the second time.
   */
  function asRead(): Record<string, EnteredItem> {
    const read = Object.entries(entered.value).map(([address, item]) => {
      const shown = fields.value.get(address);
      const { typed, ...rest } = item;
      if (typed === undefined || !shown?.entered.value || shown.misfit || shown.twice) return [address, item];
      return [address, { ...rest, value: shown.entered.value }];
    });
    return balanced(Object.fromEntries(read) as Record<string, EnteredItem>);
  }

  /** Where somebody keyed what balances, the program entered it, in the column where it belongs. */
  function balanced(read: Record<string, EnteredItem>): Record<string, EnteredItem> {
    const of = new Set(
      Object.entries(entered.value).flatMap(([at, item]) =>
        item.typed === remainder ? [parseAddress(at).line] : [],
      ),
    );
    of.delete(0);
    for (const row of outcome.value?.lines ?? []) {
      if (!of.has(row.number)) continue;
      for (const f of row.fields) {
        const address = addressOf(f.key, row.number);
        if (f.entered.value) read[address] = { value: f.entered.value };
        else if (read[address]?.typed === remainder) delete read[address];
      }
    }
    return read;
  }

  /** Keeps the fields that came out as before as they are, so that only what changed is drawn anew. */
  function settledOn(result: Outcome): Outcome {
    const before = fields.value;
    const keep = (line: number) => (f: FieldOutcome) => {
      const old = before.get(addressOf(f.key, line));
      return old && JSON.stringify(old) === JSON.stringify(f) ? old : f;
    };
    return {
      ...result,
      fields: result.fields.map(keep(0)),
      lines: result.lines.map((l) => ({ ...l, fields: l.fields.map(keep(l.number)) })),
    };
  }

  async function enter(address: string, typed: string) {
    const next = { ...entered.value };
    const { line } = parseAddress(address);
    if (typed.trim() === "") delete next[address];
    else next[address] = { typed };
    if (line && !lines.value.includes(line)) lines.value = [...lines.value, line];
    entered.value = next;
    await tryDocument();
  }

  /** Asks the rules for a value anew, as on a new record: a copied value is taken again, a default fills again. */
  async function derive(address: string) {
    entered.value = { ...entered.value, [address]: { derive: true } };
    await tryDocument();
  }

  /** Keys a value the second time. */
  async function enterAgain(address: string, again: string) {
    const item = entered.value[address];
    if (!item) return;
    entered.value = { ...entered.value, [address]: { ...item, again: again.trim() || undefined } };
    await tryDocument();
  }

  /** Enters many values at once; lines that are not there are added. */
  async function enterAll(
    header: Record<string, EnteredItem>,
    rows: { number: number; entered: Record<string, EnteredItem> }[],
  ) {
    const next = { ...entered.value, ...header };
    for (const row of rows)
      for (const [key, item] of Object.entries(row.entered))
        next[addressOf(`lines.${key}`, row.number)] = item;
    entered.value = next;
    const more = rows.map((r) => r.number).filter((n) => !lines.value.includes(n));
    lines.value = [...lines.value, ...more].sort((a, b) => a - b);
    taken.value = Math.max(taken.value, 0, ...lines.value);
    await tryDocument();
  }
  const isChange = computed(() => !!record.value || !!stored.value);

  /**
   * Judges the document as a new one, or as a change: of the record that it was taken from, or else of itself as it
   * came out, as if it had been saved.
   */
  async function judgeAs(change: boolean) {
    if (change === isChange.value) return;
    if (!change) {
      changeOf.value = {
        record: record.value,
        stored: stored.value,
        storedLines: storedLines.value,
        storedOrigins: storedOrigins.value,
      };
      baseOn({});
    } else if (changeOf.value) baseOn(changeOf.value);
    else if (outcome.value) {
      const { values, origins } = contentOf(outcome.value.fields);
      const rows = outcome.value.lines.map((l) => ({ number: l.number, ...contentOf(l.fields) }));
      const saved = documentOf({ ...scope, number: "", content: { values, lines: rows } });
      put({
        ...saved,
        reasons: reasons.value,
        user: user.value,
        ...before.value,
        changes: { rules: brought.value },
      });
      baseOn({ stored: values, storedLines: rows, storedOrigins: origins });
    }
    await tryDocument();
  }

  function baseOn(base: NonNullable<typeof changeOf.value>) {
    record.value = base.record ?? "";
    stored.value = base.stored;
    storedLines.value = base.storedLines;
    storedOrigins.value = base.storedOrigins;
  }

  async function as(name: string) {
    user.value = name;
    await tryDocument();
  }

  function textOf(address: string): string {
    const item = entered.value[address];
    if (!item) return "";
    const shown = fields.value.get(address);
    if (!problem.value && shown && !shown.misfit && shown.entered.text) return shown.entered.text;
    return item.typed ?? item.value ?? "";
  }

  /** What a quantity is counted in: the unit in its line, or of the document. */
  function unitOf(field: Field, line: number): string | undefined {
    const of = (address: string) => fields.value.get(address)?.final.text;
    return field.unit ? (of(addressOf(`lines.${field.unit}`, line)) ?? of(field.unit)) : undefined;
  }

  /** Adds a line at the end and returns its number, which no line had before. */
  function addLine(): number {
    const used = [...lines.value, ...(storedLines.value ?? []).map((l) => l.number), taken.value];
    const number = Math.max(0, ...used) + 1;
    taken.value = number;
    lines.value = [...lines.value, number];
    void tryDocument();
    return number;
  }
  const taken = ref(0);

  /** Removes a line and returns how to put it back. */
  function removeLine(number: number): () => void {
    const before = { lines: lines.value, entered: entered.value };
    lines.value = lines.value.filter((n) => n !== number);
    entered.value = Object.fromEntries(
      Object.entries(entered.value).filter(([address]) => parseAddress(address).line !== number),
    );
    void tryDocument();
    return () => {
      lines.value = before.lines;
      entered.value = { ...before.entered, ...entered.value };
      void tryDocument();
    };
  }

  /** Puts the lines into another order. */
  async function orderLines(numbers: number[]) {
    lines.value = numbers;
    await tryDocument();
  }

  /** Puts a document from elsewhere in place of this one; it is not tried yet. */
  function put(from?: Document) {
    asking++; // what was asked of the document before is of no interest any more
    const items = { ...from?.entered };
    for (const line of from?.lines ?? [])
      for (const [key, item] of Object.entries(line.entered))
        items[addressOf(`lines.${key}`, line.number)] = item;
    entered.value = items;
    lines.value = (from?.lines ?? []).map((l) => l.number);
    taken.value = Math.max(0, ...lines.value);
    baseOn(from ?? {});
    changeOf.value = undefined;
    reasons.value = { ...(from?.reasons ?? {}) };
    user.value = from?.user ?? "";
    before.value = {
      ...(from?.previous ? { previous: from.previous, previousOfType: from.previousOfType } : {}),
      ...(from?.carried ? { carried: from.carried } : {}),
      ...(from?.preceding ? { preceding: from.preceding } : {}),
    };
    brought.value = (from?.changes?.rules ?? []) as Changed[];
  }

  async function giveReason(rule: number | undefined, reason: string) {
    const next = { ...reasons.value };
    if (reason.trim()) next[String(rule)] = reason.trim();
    else delete next[String(rule)];
    reasons.value = next;
    await tryDocument();
  }

  return {
    entered,
    lines,
    record,
    stored,
    reasons,
    outcome,
    problem,
    hasDocument,
    document,
    fields,
    guard,
    tryDocument,
    settled,
    enter,
    enterAgain,
    derive,
    changes,
    enterAll,
    as,
    judgeAs,
    isChange,
    changeOf,
    user,
    textOf,
    unitOf,
    addLine,
    removeLine,
    orderLines,
    put,
    giveReason,
  };
}

export type Trial = ReturnType<typeof useTrial>;

/** What fields came to, and who gave it. */
function contentOf(fields: FieldOutcome[]) {
  const values: Record<string, string> = {};
  const origins: Record<string, string> = {};
  for (const f of fields) {
    if (!f.final.value) continue;
    values[column(f.key)] = f.final.value;
    if (f.origin) origins[column(f.key)] = f.origin;
  }
  return { values, origins };
}

/** A saved record as a document that changes it. */
export function documentOf(from: {
  kind: string;
  company: string;
  type: string;
  number: string;
  content: Content;
}): Document {
  const items = (values: Record<string, string>) =>
    Object.fromEntries(Object.entries(values).map(([key, value]) => [key, { value }]));
  return {
    kind: from.kind,
    company: from.company,
    type: from.type,
    record: from.number,
    entered: items(from.content.values),
    lines: from.content.lines?.map((l) => ({ number: l.number, entered: items(l.values) })),
  };
}

interface Content {
  values: Record<string, string>;
  lines?: { number: number; values: Record<string, string> }[];
}
