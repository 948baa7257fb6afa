import { until, useEventListener, watchDebounced } from "@vueuse/core";
import { computed, markRaw, onBeforeUnmount, reactive, ref, watch, type Ref } from "vue";
import { onBeforeRouteLeave, onBeforeRouteUpdate, useRoute, useRouter } from "vue-router";
import {
  api,
  ask,
  RequestError,
  type Document,
  type LayoutView,
  type Merge,
  type RecordView,
  type Use,
} from "@/api/client";
import { addressOf, recordPlace } from "@/api/address";
import { documentOf, useTrial, type Moment, type Scope } from "@/queries/trial";
import { format } from "@/queries/format";
import { useCatalog } from "@/queries/catalog";
import { useSession } from "@/queries/session";
import { askOnce, change } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { onChangeOf, onNews, usePresence } from "@/queries/news";
import { usePlan } from "@/queries/plan";
import { unsaved } from "@/features/records/unsaved";
import { useGoOn } from "@/ui/goOn";

/** The form of a record, as far as the cursor is concerned. */
interface Cursor {
  point(field: string, line?: number): void;
  begin(): void;
}

/**
 * The record that the address names, or a new one: as it is saved, as it is being changed, and what can be done
 * with it. form is where it is typed.
 */
export function useOpenRecord(form: Ref<Cursor | undefined>) {
  const catalog = useCatalog();
  const session = useSession();
  const plan = usePlan();
  const route = useRoute();
  const router = useRouter();

  const kind = computed(() => String(route.params.kind));
  const number = computed(() => String(route.params.number));
  const isNew = computed(() => number.value === "new");
  const entry = computed(() => catalog.entry(kind.value));

  const scope = reactive<Scope>({ kind: "", company: "", type: "", day: "" });
  const moment = ref<Moment>("saving");
  /** The address of the field that somebody stands on, or stood on last. */
  const standing = ref("");
  const trial = useTrial(
    scope,
    () => moment.value,
    () => undefined,
    true,
    () => (standing.value ? [standing.value] : []),
  );
  // What decided is told of the field that somebody stays on; who only passes asks for nothing.
  watchDebounced(
    standing,
    (address) => {
      const told = trial.fields.value.get(address)?.acts.some((a) => a.facts.length);
      if (address && !told && !readonly.value) void trial.tryDocument();
    },
    { debounce: 250 },
  );
  const { problem } = trial;
  const layout = ref<LayoutView>();
  const record = ref<RecordView>();
  const origin = ref<Use>();
  const earlier = ref<Use[]>([]);
  const dirty = ref(false);
  const done = ref("");
  /** Whether somebody tried to save: from then on, what is missing is said at its field. */
  const tried = ref(false);
  const merge = ref<Merge>();
  /** What the person does with the record as a whole. */
  const deed = useAttempt();
  const going = useGoOn();

  const readonly = computed(
    () =>
      (!!record.value && record.value.state !== "kept") ||
      !session.may("records.change", entry.value?.kind.key),
  );
  /** The record was deleted: its history is what is left of it. */
  const deleted = ref(false);
  /** What is stored differs from what the rules make of it now: saving would store that. */
  const outdated = computed(
    () => !readonly.value && !isNew.value && [...trial.fields.value.values()].some((f) => f.stored),
  );

  function query(name: string): string {
    const value = route.query[name];
    return typeof value === "string" ? value : "";
  }
  const path = computed(() => route.fullPath);

  let turn = 0;
  async function load() {
    const mine = ++turn;
    deleted.value = false;
    record.value = undefined;
    origin.value = undefined;
    earlier.value = [];
    merge.value = undefined;
    deed.forget();
    dirty.value = false;
    overtakenBy.value = "";
    tried.value = false;
    moment.value = "saving";
    trial.outcome.value = undefined;
    trial.put();
    if (!entry.value || !catalog.catalog) return;
    await trial.guard(async () => {
      try {
        if (isNew.value) await begin(() => mine === turn);
        else await open(() => mine === turn);
      } catch (error) {
        if (mine !== turn) return; // another record is open by now
        if (error instanceof RequestError && error.problem.status === 404 && !isNew.value)
          deleted.value = true;
        throw error;
      }
      if (mine === turn) await arrange();
    });
    if (mine === turn && isNew.value) form.value?.begin();
  }

  /** Begins a new record: blank, what was left unsaved, or what follows from another. */
  async function begin(here: () => boolean) {
    const company = query("company") || plan.scope.company || (catalog.catalog?.companies[0]?.key ?? "");
    const types = catalog.typesIn(company, kind.value);
    const type = types.some((t) => t.key === query("type")) ? query("type") : (types[0]?.key ?? "");
    Object.assign(scope, { kind: kind.value, company, type, day: "" });
    catalog.writeFor(company);
    const kept = unsaved.get(path.value)?.document;
    if (query("follow")) {
      const params = { path: { id: Number(query("follow")) } };
      const body = { number: query("from"), type: query("type") || undefined };
      const begun = await ask(api.POST("/follow-ons/{id}/begin", { params, body }));
      if (!here()) return;
      Object.assign(scope, { company: begun.document.company, type: begun.document.type });
      trial.put(kept ?? begun.document);
      origin.value = begun.origin;
      earlier.value = begun.earlier;
      dirty.value = true;
    } else if (kept) {
      trial.put(kept);
      Object.assign(scope, { company: kept.company, type: kept.type });
      dirty.value = true;
    }
    await trial.tryDocument();
  }

  async function open(here: () => boolean) {
    const params = { path: { kind: kind.value, number: number.value } };
    const r = await askOnce(["record", kind.value, number.value], () =>
      api.GET("/records/{kind}/{number}", { params }),
    );
    if (!here()) return;
    record.value = r;
    Object.assign(scope, { kind: r.kind, company: r.company, type: r.type, day: "" });
    catalog.writeFor(r.company);
    if (r.state === "merged") {
      const params = { path: { kind: r.kind, number: r.number, version: r.version }, query: { format } };
      const told = await ask(api.GET("/records/{kind}/{number}/versions/{version}/outcome", { params }));
      if (!here()) return;
      trial.put(documentOf(r));
      trial.outcome.value = told.outcome;
      return;
    }
    if (r.state !== "kept") {
      const query = { ledger: "books" as const, format };
      const path = { number: r.number };
      const posting = await askOnce(["ledger", "books", "posting", r.number, { ...format }], () =>
        api.GET("/postings/{number}", { params: { path, query } }),
      );
      if (!here()) return;
      trial.put(posting.document);
      trial.outcome.value = posting.outcome;
      return;
    }
    const kept = unsaved.get(path.value);
    trial.put(kept?.document ?? documentOf(r));
    // What was left unsaved changes the version it began with: somebody may have saved another since.
    if (kept?.version) record.value = { ...r, version: kept.version };
    dirty.value = !!kept;
    await trial.tryDocument();
  }

  const thing = () => ({ kind: kind.value, key: number.value });
  /** Who else has the record open. */
  const others = usePresence(
    () => (record.value ? thing() : undefined),
    () => dirty.value,
  );
  /** Something is being saved, posted or deleted. */
  const working = ref(false);
  /** Something is under way with the record: what was typed meanwhile would be lost. */
  const busy = computed(() => working.value || deed.busy);
  /** Something is being typed that no field has taken yet. */
  const typing = ref(false);
  /** Who saved the record while it is being changed here. */
  const overtakenBy = ref("");
  watch(typing, (types) => {
    if (!types && !dirty.value && overtakenBy.value) void renew(overtakenBy.value);
  });
  onNews((news) => {
    // What the rules say of what is on the screen may be another now.
    if (news.changes.some((c) => !catalog.entry(c.kind)) && scope.type && !readonly.value && !working.value)
      void trial.tryDocument();
  });
  const changedBy = onChangeOf(thing, () => working.value || !!merge.value || !record.value, renew);
  /** Shows what somebody else saved; where something was typed here, that stays, and it is said. */
  async function renew(by = "Somebody else") {
    const params = { path: { kind: kind.value, number: number.value } };
    const at = path.value;
    const now = await ask(api.GET("/records/{kind}/{number}", { params })).catch(() => undefined);
    if (path.value !== at) return;
    if (working.value || merge.value) return changedBy(by);
    if (now?.version === record.value?.version) return;
    // What was told may be of a change before the last one.
    const last = now?.changedBy || by;
    if (dirty.value || typing.value) {
      overtakenBy.value = last;
      return;
    }
    await load();
    if (record.value) done.value = `${record.value.changedBy || last} changed this just now.`;
  }
  /** Looks at both changes before one's own is saved. */
  async function compare() {
    if (!dirty.value) return load();
    const document = { ...trial.document.value, stored: undefined, storedLines: undefined } as Document;
    const body = { document, format, keyed: true, version: record.value?.version };
    await trial.guard(async () => {
      merge.value = await ask(api.POST("/records/merge", { body }));
      overtakenBy.value = "";
    });
  }

  async function arrange() {
    const query = { kind: kind.value, company: scope.company, type: scope.type };
    const found = await askOnce(["layout", query], () => api.GET("/layouts", { params: { query } }));
    // Another company or type may have been chosen since.
    if (query.kind === kind.value && query.company === scope.company && query.type === scope.type)
      layout.value = found;
  }

  watch(path, load, { immediate: true });

  async function rescope(next: Partial<Scope>) {
    Object.assign(scope, next);
    const types = catalog.typesIn(scope.company, kind.value);
    if (!types.some((t) => t.key === scope.type)) scope.type = types[0]?.key ?? "";
    await trial.guard(arrange);
    await trial.tryDocument();
  }

  function setAside(at: string) {
    if (dirty.value && !readonly.value)
      unsaved.set(at, { document: trial.document.value, version: record.value?.version });
  }
  onBeforeRouteLeave((_, from) => setAside(from.fullPath));
  onBeforeRouteUpdate((_, from) => setAside(from.fullPath));
  useEventListener(window, "pagehide", () => setAside(path.value));
  // The screen may be drawn anew at the same address.
  let at = path.value;
  onBeforeRouteUpdate((to) => void (at = to.fullPath));
  onBeforeUnmount(() => setAside(at));

  /** Takes what is being typed, and waits for its consequences. */
  async function settle() {
    (document.activeElement as HTMLElement | null)?.blur();
    // A field with a list of choices tells only a moment later that it was left.
    await new Promise((resolve) => setTimeout(resolve));
    await trial.settled();
  }

  /** One deed at a time: a key that is pressed twice saves and posts once. */
  async function alone<T>(work: () => Promise<T>): Promise<T | undefined> {
    if (working.value) return undefined;
    working.value = true;
    try {
      return await work();
    } finally {
      working.value = false;
    }
  }

  const save = () => alone(() => keep());
  async function keep(andThen?: "post"): Promise<RecordView | undefined> {
    const at = path.value;
    await settle();
    done.value = "";
    const saved = await saveNow();
    if (!saved) return undefined;
    if (path.value !== at) {
      unsaved.delete(at); // the person went on; what was saved is saved
      return undefined;
    }
    unsaved.delete(path.value);
    dirty.value = false;
    if (andThen === "post") return saved;
    await shownAs(saved, isNew.value ? `Saved as ${saved.number}.` : "Saved.");
    return saved;
  }

  async function saveNow(): Promise<RecordView | undefined> {
    const at = path.value;
    const body = {
      document: { ...trial.document.value, stored: undefined, storedLines: undefined } as Document,
      format,
      keyed: true,
      version: record.value?.version,
      origin: isNew.value ? origin.value : undefined,
    };
    try {
      const answer = await change(api.POST("/records", { body }));
      if (path.value !== at) return answer.record;
      problem.value = undefined;
      trial.outcome.value = answer.outcome;
      if (!answer.record) {
        tried.value = true;
        pointToFirst();
      }
      return answer.record;
    } catch (error) {
      if (path.value !== at) return undefined;
      if (error instanceof RequestError && error.problem.code === "changed-meanwhile") {
        await trial.guard(async () => {
          merge.value = await ask(api.POST("/records/merge", { body }));
          overtakenBy.value = "";
        });
      } else problem.value = (error as Error).message;
      return undefined;
    }
  }

  /** Goes on with both changes: what the other person changed is entered here, too. */
  async function merged(taken: { field: string; line?: number; value: string }[]) {
    if (!merge.value || !record.value) return;
    const next = { ...trial.entered.value };
    for (const t of taken) {
      const address = addressOf(t.field, t.line ?? 0);
      if (t.line && !trial.lines.value.includes(t.line)) trial.lines.value = [...trial.lines.value, t.line];
      if (t.value) next[address] = { value: t.value };
      else delete next[address];
    }
    trial.entered.value = next;
    record.value = { ...record.value, version: merge.value.record.version };
    merge.value = undefined;
    await trial.tryDocument();
    await save();
  }

  function pointToFirst() {
    const messages = trial.outcome.value?.messages ?? [];
    const first =
      messages.find((m) => m.severity === "refuse") ?? messages.find((m) => m.severity === "confirm");
    if (!first) return;
    // The form takes nothing while it is being saved.
    void until(busy)
      .toBe(false)
      .then(() => {
        // Who types elsewhere by now keeps the cursor: letters must not go to another field.
        if (!document.activeElement?.matches("input, textarea")) form.value?.point(first.field, first.line);
      });
  }

  async function shownAs(r: RecordView, said: string) {
    const target = recordPlace(r.kind, r.number);
    if (route.path === target) await load();
    else await router.replace(target);
    done.value = said;
  }

  const post = () => alone(postNow);
  async function postNow() {
    if (!entry.value?.kind.posted || readonly.value) return;
    const at = path.value;
    let current = record.value;
    if (isNew.value || dirty.value) current = await keep("post");
    else await settle();
    if (!current) return;
    await trial.guard(async () => {
      const params = { path: { kind: kind.value, number: current.number } };
      const body = { version: current.version, reasons: trial.reasons.value, format };
      const answer = await change(api.POST("/records/{kind}/{number}/post", { params, body }));
      if (path.value !== at) return; // the person went on; what was posted is posted
      if (answer.record) return shownAs(answer.record, `Posted to the books as ${answer.record.number}.`);
      if (isNew.value) await shownAs(current, "");
      record.value = current;
      moment.value = "posting";
      trial.outcome.value = answer.outcome;
      done.value = "Saved, but not posted.";
      tried.value = true;
      pointToFirst();
    });
  }

  async function reverse(day: string) {
    if (!record.value) return;
    const at = path.value;
    await deed.attempt(async () => {
      const params = { path: { kind: kind.value, number: number.value } };
      const body = { version: record.value!.version, day };
      const back = await change(api.POST("/records/{kind}/{number}/reverse", { params, body }));
      if (path.value === at) await shownAs(back, `${number.value} is reversed by this document.`);
    });
  }

  async function remove() {
    const at = path.value;
    const of = kind.value;
    const goOn = going();
    await deed.attempt(async () => {
      const params = { path: { kind: of, number: number.value } };
      await change(api.DELETE("/records/{kind}/{number}", { params }));
      unsaved.delete(at);
      if (path.value === at) dirty.value = false;
      await goOn(`/records/${of}`);
    });
  }

  /** Goes back to what is saved, or to a blank form. */
  async function giveUp() {
    unsaved.delete(path.value);
    dirty.value = false;
    await load();
  }

  async function onPlan() {
    const goOn = going();
    await plan.take(trial.document.value, isNew.value ? "" : `Change of ${number.value}`);
    await goOn({ path: "/plan", query: { ...plan.scope } });
  }

  async function changed() {
    dirty.value = true;
    done.value = "";
    moment.value = "saving";
  }

  /** Asks the rules for a value anew. */
  async function derive(address: string) {
    dirty.value = true;
    await trial.derive(address);
  }

  const verdict = computed(() => trial.outcome.value?.verdict);
  /** A blank new record is not scolded for what nobody had a chance to enter. */
  const messages = computed(() => {
    if (readonly.value || (isNew.value && !dirty.value && !tried.value)) return [];
    return trial.outcome.value?.messages ?? [];
  });

  return reactive({
    kind,
    number,
    isNew,
    entry,
    scope,
    standing,
    trial: markRaw(trial),
    /** Why the document cannot be tried, saved or posted. */
    problem,
    /** Why it was not reversed or deleted, and what stands in the way. */
    trouble: computed(() => deed.trouble),
    layout,
    record,
    origin,
    earlier,
    dirty,
    busy,
    done,
    tried,
    merge,
    readonly,
    deleted,
    outdated,
    others,
    typing,
    overtakenBy,
    compare,
    derive,
    rescope,
    save,
    merged,
    post,
    reverse,
    remove,
    giveUp,
    onPlan,
    changed,
    verdict,
    messages,
  });
}
