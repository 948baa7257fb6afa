import { defineStore } from "pinia";
import { computed, reactive, ref } from "vue";
import {
  api,
  ask,
  type Document,
  type EnteredItem,
  type Family,
  type Outcome,
  type Plan,
  type Posting,
  type Proof,
  type RuleChange,
} from "@/api/client";
import { format } from "@/format";

export interface Scope {
  kind: string;
  company: string;
  type: string;
  day: string;
}

export interface Selection {
  field: string;
  family: Family;
}

/** The plan of a scope, and the test document that is on its way through it. */
export const usePlan = defineStore("plan", () => {
  const scope = reactive<Scope>({ kind: "", company: "", type: "", day: "" });
  const plan = ref<Plan>();
  const problem = ref<string>();

  const entered = ref<Record<string, EnteredItem>>({});
  const record = ref("");
  const stored = ref<Record<string, string>>();
  const reasons = ref<Record<string, string>>({});
  const source = ref("");
  const outcome = ref<Outcome>();
  const posted = ref<Posting["summary"]>();
  const kept = ref<Proof>();
  const busy = ref(false);

  const selected = ref<Selection>();
  /** The rule being written, tried on the test document before it is kept. */
  const tried = ref<RuleChange>();
  /** Changes of rules that were left without keeping them, by field, family and rule. */
  const unkept = reactive(new Map<string, RuleChange>());

  const hasDocument = computed(
    () => Object.keys(entered.value).length > 0 || !!stored.value || !!record.value,
  );
  const document = computed<Document>(() => ({
    ...scope,
    entered: entered.value,
    record: record.value || undefined,
    stored: stored.value,
    reasons: Object.keys(reasons.value).length ? reasons.value : undefined,
  }));

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

  async function loadPlan() {
    const wanted = { ...scope };
    await guard(async () => {
      const loaded = await ask(api.GET("/plan", { params: { query: wanted } }));
      if (wanted.company === scope.company && wanted.type === scope.type && wanted.day === scope.day) {
        plan.value = loaded;
      }
    });
  }

  /** Takes the test document through the plan; an answer that is overtaken is dropped. */
  function tryDocument(): Promise<void> {
    latest = tryNow();
    return latest;
  }

  /** Waits until the last value that was entered has its consequences. */
  function settled(): Promise<void> {
    return latest;
  }

  async function tryNow() {
    const turn = ++asking;
    if (!hasDocument.value) {
      outcome.value = undefined;
      return;
    }
    await guard(async () => {
      const result = await ask(
        api.POST("/try", { body: { document: document.value, format, rule: tried.value } }),
      );
      if (turn === asking) outcome.value = result;
    });
  }

  async function setScope(next: Partial<Scope>) {
    Object.assign(scope, next);
    await Promise.all([loadPlan(), tryDocument()]);
  }

  async function enter(field: string, typed: string) {
    posted.value = undefined;
    kept.value = undefined;
    const next = { ...entered.value };
    if (typed.trim() === "") delete next[field];
    else next[field] = { typed };
    entered.value = next;
    await tryDocument();
  }

  function textOf(field: string): string {
    const item = entered.value[field];
    if (!item) return "";
    const shown = outcome.value?.fields.find((f) => f.key === field);
    if (shown && !shown.misfit && shown.entered.text) return shown.entered.text;
    return item.typed ?? item.value ?? "";
  }

  async function clear() {
    entered.value = {};
    record.value = "";
    stored.value = undefined;
    reasons.value = {};
    source.value = "";
    posted.value = undefined;
    kept.value = undefined;
    await tryDocument();
  }

  /** Puts a document from elsewhere on the plan: a record, a proof, a posting. */
  async function take(from: Document, label: string) {
    Object.assign(scope, { kind: from.kind, company: from.company, type: from.type, day: from.day });
    entered.value = { ...from.entered };
    record.value = from.record ?? "";
    stored.value = from.stored;
    reasons.value = { ...(from.reasons ?? {}) };
    source.value = label;
    posted.value = undefined;
    kept.value = undefined;
    await Promise.all([loadPlan(), tryDocument()]);
  }

  async function post(): Promise<boolean> {
    busy.value = true;
    kept.value = undefined;
    const done = await guard(async () => {
      const result = await ask(api.POST("/postings", { body: { document: document.value, format } }));
      if ("summary" in result) {
        posted.value = result.summary;
        outcome.value = result.outcome;
        return true;
      }
      outcome.value = result;
      return false;
    });
    busy.value = false;
    return done === true;
  }

  async function keep(name: string, rules: number[]) {
    busy.value = true;
    await guard(async () => {
      kept.value = await ask(
        api.POST("/proofs", { body: { document: document.value, format, name: name || undefined, rules } }),
      );
    });
    busy.value = false;
  }

  return {
    scope,
    plan,
    problem,
    entered,
    record,
    reasons,
    source,
    outcome,
    posted,
    kept,
    busy,
    selected,
    tried,
    unkept,
    hasDocument,
    document,
    loadPlan,
    tryDocument,
    settled,
    setScope,
    enter,
    textOf,
    clear,
    take,
    post,
    keep,
  };
});
