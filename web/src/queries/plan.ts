import { defineStore } from "pinia";
import { computed, reactive, ref, watch } from "vue";
import {
  api,
  ask,
  type Document,
  type Family,
  type Posting,
  type Proof,
  type RuleChange,
} from "@/api/client";
import { addressOf } from "@/api/address";
import { useTrial, type Scope } from "@/queries/trial";
import { format } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { change, shownRules, useAsked } from "@/queries/client";
import { onNews } from "@/queries/news";
import { useUnkept } from "@/queries/unkept";

export type { Scope };

export interface Selection {
  field: string;
  family: Family;
}

/** How wide a new rule is, from where one stands: this company and type, all types of the company, everywhere. */
export type Width = "here" | "company" | "everywhere";
export const widths: Width[] = ["here", "company", "everywhere"];

/** The plan of a scope, and the test document that is on its way through it. */
export const usePlan = defineStore("plan", () => {
  const catalog = useCatalog();
  const scope = reactive<Scope>({ kind: "", company: "", type: "", day: "" });

  const selected = ref<Selection>();
  const width = ref<Width>("here");
  /** The rule being written, tried on the test document before it is kept. */
  const tried = ref<RuleChange>();
  /** Changes of rules that were left without keeping them, by kind, field, family and rule. */
  const unkept = useUnkept();

  const trial = useTrial(
    scope,
    () => "posting",
    () => tried.value,
    false,
    () => (selected.value ? [at(selected.value.field)] : []),
  );
  const { guard, tryDocument } = trial;
  // What the rules make of the test document may be another once somebody else has changed one.
  onNews((news) => {
    if (trial.hasDocument.value && news.changes.some((c) => !c.self && !catalog.entry(c.kind)))
      void tryDocument();
  });
  watch(shownRules, () => void tryDocument());
  /** The number of the line that the grid shows. */
  const line = ref(1);
  const source = ref("");
  const posted = ref<Posting["summary"]>();
  const kept = ref<Proof>();
  const busy = ref(false);

  /** The day whose rules hold: that of the test document, or else that on which the work is taken to be done. */
  const ownDay = computed(() => (trial.hasDocument.value && trial.outcome.value?.day) || "");
  const day = computed(() => ownDay.value || scope.day);
  const shown = computed(() => ({ ...scope, day: day.value }));

  // A document that moves to another day is under the rules of that day.
  const asked = useAsked(
    () => (scope.type ? ["plan", shown.value, { ...format }] : undefined),
    async (signal) => {
      const query = shown.value;
      const answer = await api.GET("/plan", { params: { query }, signal });
      return { ...answer, data: answer.data && { ...answer.data, kind: query.kind } };
    },
    { keep: true },
  );
  /** That of the scope before stays until that of the new one is there, but not that of another kind. */
  const plan = computed(() => (asked.data?.kind === scope.kind ? asked.data : undefined));

  /** Brings the plan to a scope. A test document of another kind is left behind, and so is what is selected. */
  async function setScope(next: Partial<Scope>, select?: Selection) {
    const other = next.kind !== undefined && next.kind !== scope.kind;
    Object.assign(scope, next);
    catalog.writeFor(scope.company);
    if (other) {
      catalog.chosen = scope.kind;
      selected.value = select;
      empty();
      const types = catalog.typesIn(scope.company);
      if (!types.some((t) => t.key === scope.type)) scope.type = types[0]?.key ?? "";
    }
    if (!catalog.typesIn(scope.company).some((t) => t.key === scope.type))
      scope.type = catalog.typesIn(scope.company)[0]?.key ?? "";
    await tryDocument();
  }

  function empty(from?: Document, label = "") {
    trial.put(from);
    line.value = from?.lines?.[0]?.number ?? 1;
    source.value = label;
    posted.value = undefined;
    kept.value = undefined;
    if (!from) trial.outcome.value = undefined;
  }

  async function enter(address: string, typed: string) {
    posted.value = undefined;
    kept.value = undefined;
    await trial.enter(address, typed);
  }

  /** What was passed over when rows were pasted. */
  const ignored = ref<string[]>([]);
  /** Enters rows that were copied from a spreadsheet, from a field on or by the names above them. */
  async function paste(text: string, at: string) {
    posted.value = undefined;
    kept.value = undefined;
    await guard(async () => {
      const read = await ask(api.POST("/try/rows", { body: { kind: scope.kind, text, at } }));
      ignored.value = read.ignored;
      await trial.enterAll(read.entered, read.lines);
      if (read.lines.length) line.value = read.lines[0]!.number;
    });
  }

  /** The address of a field, in the line that the grid shows. */
  function at(key: string): string {
    return addressOf(key, line.value);
  }

  // What decided is told of the field that is looked at.
  watch(
    () => selected.value && at(selected.value.field),
    () => {
      if (trial.hasDocument.value) void tryDocument();
    },
  );

  async function clear() {
    empty();
    await tryDocument();
  }

  /** Puts a document from elsewhere on the plan: a record, a proof, a posting. */
  async function take(from: Document, label: string) {
    const day = from.day || catalog.catalog?.today;
    Object.assign(scope, { kind: from.kind, company: from.company, type: from.type, day });
    catalog.writeFor(scope.company);
    if (catalog.chosen !== from.kind) {
      catalog.chosen = from.kind;
      selected.value = undefined;
    }
    empty(from, label);
    await tryDocument();
  }

  async function post(): Promise<boolean> {
    if (busy.value) return false;
    busy.value = true;
    kept.value = undefined;
    const done = await guard(async () => {
      const body = { document: trial.document.value, format };
      const result = await change(api.POST("/postings", { body }));
      if ("summary" in result) {
        posted.value = result.summary;
        trial.outcome.value = result.outcome;
        return true;
      }
      trial.outcome.value = result;
      return false;
    });
    busy.value = false;
    return done === true;
  }

  /**
   * Keeps the test as a proof of rules, none: those that act; fields are the addresses whose values
   * are expected, none: all; acting expects that the rules act.
   */
  async function keep(name: string, rules: number[], fields?: string[], acting?: boolean) {
    if (busy.value) return;
    busy.value = true;
    await guard(async () => {
      const body = {
        document: trial.document.value,
        format,
        name: name || undefined,
        rules,
        fields,
        acting,
        posting: posted.value?.number,
      };
      kept.value = await change(api.POST("/proofs", { body }));
    });
    busy.value = false;
  }

  return {
    ...trial,
    day,
    scope,
    plan,
    line,
    source,
    posted,
    kept,
    busy,
    selected,
    width,
    tried,
    unkept,
    at,
    planProblem: computed(() => asked.problem),
    reloadPlan: asked.reload,
    setScope,
    enter,
    clear,
    paste,
    ignored,
    take,
    post,
    keep,
  };
});
