import { useEventListener } from "@vueuse/core";
import { computed, markRaw, nextTick, reactive, ref, shallowRef, watch, type Ref } from "vue";
import { onBeforeRouteLeave, onBeforeRouteUpdate, useRoute, useRouter } from "vue-router";
import {
  api,
  ask,
  type Document,
  type EnteredItem,
  type FieldOutcome,
  type LayoutView,
  type RecordView,
  type Schemas,
} from "@/api/client";
import { addressOf, column, ofLine, parseAddress } from "@/api/address";
import type DeskForm from "@/features/desk/DeskForm.vue";
import { useAside, type Aside } from "@/features/desk/aside";
import { unsaved } from "@/features/records/unsaved";
import { useAttempt } from "@/queries/attempt";
import { useBatch } from "@/queries/batches";
import { useCatalog } from "@/queries/catalog";
import { askOnce, change } from "@/queries/client";
import { format } from "@/queries/format";
import { usePlan } from "@/queries/plan";
import { useSession } from "@/queries/session";
import { useTrial, type Moment, type Scope } from "@/queries/trial";

/** A document that was saved at the desk, or keyed again, and what is to be known of it. */
interface Done {
  number: string;
  said: string;
  /** It waits for somebody: it was saved but not posted. */
  waits?: boolean;
}

/** How many of those that were saved are told. */
const mostTold = 8;

/** Many documents of a kind, keyed one after another. */
export function useDesk(form: Ref<InstanceType<typeof DeskForm> | undefined>) {
  const route = useRoute();
  const router = useRouter();
  const catalog = useCatalog();
  const plan = usePlan();
  const session = useSession();

  const query = (name: string) =>
    typeof route.query[name] === "string" ? (route.query[name] as string) : "";
  const kind = computed(() => route.params["kind"] as string);
  const entry = computed(() => catalog.entry(kind.value));
  const scope = reactive<Scope>({ kind: "", company: "", type: "", day: "" });
  const batch = useBatch(() => Number(query("batch")) || undefined);
  /** A second person keys what somebody keyed before. */
  const again = computed(() => query("again") === "1");

  const moment = ref<Moment>("saving");
  const standing = ref("");
  const trial = useTrial(
    scope,
    () => moment.value,
    () => undefined,
    true,
    () => [],
  );
  const layout = ref<LayoutView>();
  const blankLine = shallowRef(new Map<string, FieldOutcome>());
  const dirty = ref(false);
  const strict = ref(false);
  const busy = ref(false);
  const assisted = ref(true);
  const done = ref<Done[]>([]);
  const previous = shallowRef<RecordView>();
  const deed = useAttempt();
  const aside = useAside(() => kind.value);

  const said = ref("");
  /** Counts the documents: each has a form of its own. */
  const page = ref(0);
  const path = computed(() => route.fullPath);
  let turn = 0;
  watch([path, () => catalog.catalog, () => batch.data?.id], () => void load(), { immediate: true });

  async function load() {
    const mine = ++turn;
    if (!entry.value || !catalog.catalog) return;
    if (query("batch") && !batch.data) return;
    const company =
      batch.data?.company ||
      query("company") ||
      plan.scope.company ||
      (catalog.catalog.companies[0]?.key ?? "");
    const types = catalog.typesIn(company, kind.value);
    const type =
      batch.data?.type ??
      (types.some((t) => t.key === query("type")) ? query("type") : (types[0]?.key ?? ""));
    if (scope.kind === kind.value && scope.company === company && scope.type === type) return;
    Object.assign(scope, { kind: kind.value, company, type, day: "" });
    catalog.writeFor(company);
    previous.value = undefined;
    trial.outcome.value = undefined;
    if (!type) return;
    await trial.guard(async () => {
      const of = { kind: kind.value, company, type };
      const [arranged, shape, last] = await Promise.all([
        askOnce(["layout", of], () => api.GET("/layouts", { params: { query: of } })),
        shapeOf(of),
        ask(api.GET("/records/last", { params: { query: { ...of, mine: true } } })),
      ]);
      if (mine !== turn) return;
      layout.value = arranged;
      blankLine.value = shape;
      previous.value = last.record;
    });
    if (mine === turn) await begin(unsaved.get(path.value)?.document);
  }

  /** What the rules say of the fields of a line before anything is keyed in it. */
  async function shapeOf(of: { kind: string; company: string; type: string }) {
    const first = entry.value?.kind.fields.find((f) => ofLine(f.key));
    if (!first) return new Map<string, FieldOutcome>();
    const lines = [{ number: 1, entered: { [column(first.key)]: { derive: true } } }];
    const body = {
      document: { ...of, entered: {}, lines },
      format,
      moment: "typing" as const,
      keyed: true,
      facts: [],
    };
    const out = await ask(api.POST("/try", { body }));
    const nothing = { text: "", value: "" };
    return new Map(
      out.lines.flatMap((l) => l.fields.map((f) => [f.key, { ...f, final: nothing, made: "" }])),
    );
  }

  /** Begins the next document: blank, or one that was left or kept aside. */
  async function begin(document?: Document) {
    unsaved.delete(path.value);
    said.value = "";
    trial.put(document);
    dirty.value = !!document;
    strict.value = false;
    assisted.value = true;
    moment.value = "saving";
    await trial.tryDocument();
    page.value++;
    await nextTick();
    await form.value?.begin();
  }

  function setAside(at: string) {
    if (dirty.value) unsaved.set(at, { document: stated() });
  }
  onBeforeRouteLeave((_, from) => setAside(from.fullPath));
  onBeforeRouteUpdate((_, from) => setAside(from.fullPath));
  useEventListener(window, "pagehide", () => setAside(path.value));

  const stated = () => ({ ...trial.document.value, stored: undefined, storedLines: undefined }) as Document;

  /** Takes what is being typed. */
  const leave = () => (document.activeElement as HTMLElement | null)?.blur();
  /** Takes it, and waits for its consequences. */
  async function settle() {
    leave();
    await new Promise((resolve) => setTimeout(resolve));
    await trial.settled();
  }

  // What is keyed while a document is on its way belongs to the next one.
  const ahead: KeyboardEvent[] = [];
  let repeating = false;
  /** The last key was put by: its letter must not reach the field that the cursor is in by now. */
  let putBy = false;
  useEventListener(
    window,
    "keydown",
    (event: KeyboardEvent) => {
      if (!event.isTrusted) return; // one that was put by
      putBy = busy.value || repeating;
      if (!putBy) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      if (ahead.length < 500) ahead.push(event);
    },
    { capture: true },
  );
  useEventListener(window, "keypress", (event: KeyboardEvent) => putBy && event.preventDefault(), {
    capture: true,
  });
  async function keyAhead() {
    repeating = true;
    let letters = false;
    while (ahead.length && !busy.value) {
      const event = ahead.shift()!;
      const input = document.activeElement;
      if (event.key.length === 1 && !event.ctrlKey && !event.altKey && !event.metaKey) {
        if (input instanceof HTMLInputElement) {
          input.value = letters ? input.value + event.key : event.key; // what stood there is marked, and goes
          input.dispatchEvent(new Event("input", { bubbles: true }));
        }
        letters = true;
      } else {
        const { key, code, ctrlKey, altKey, shiftKey, metaKey } = event;
        const again = { key, code, ctrlKey, altKey, shiftKey, metaKey, bubbles: true, cancelable: true };
        (input ?? window).dispatchEvent(new KeyboardEvent("keydown", again));
        letters = false;
      }
      await nextTick();
      await nextTick(); // where it went on, the next field is there by now
    }
    repeating = false;
  }

  /** Does something that takes a moment; what is keyed meanwhile comes after it. */
  async function alone(work: () => Promise<unknown>) {
    if (busy.value || !scope.type) return;
    busy.value = true;
    try {
      await work();
    } finally {
      busy.value = false;
      void keyAhead();
    }
  }

  /** Saves the document and begins the next. */
  const next = () =>
    alone(async () => {
      await settle();
      if (!dirty.value) return await form.value?.begin();
      let accepted = false;
      await deed.attempt(async () => (accepted = await (again.value ? compare() : save())));
      if (!accepted) return;
      await begin();
    });

  async function save(): Promise<boolean> {
    const body = { document: stated(), format, keyed: true, batch: batch.data?.id };
    const answer = await change(api.POST("/records", { body }));
    trial.outcome.value = answer.outcome;
    if (!answer.record) {
      strict.value = true;
      await pointToFirst();
      return false;
    }
    previous.value = answer.record;
    tell({ number: answer.record.number, said: "saved" });
    if (batch.data?.head.posting === "each") await post(answer.record);
    return true;
  }

  async function post(record: RecordView) {
    const params = { path: { kind: kind.value, number: record.number } };
    const body = { version: record.version, reasons: trial.reasons.value, format };
    const answer = await change(api.POST("/records/{kind}/{number}/post", { params, body }));
    const why = answer.outcome.messages.find((m) => m.severity !== "advise");
    tell(
      answer.record
        ? { number: record.number, said: "posted" }
        : { number: record.number, said: `saved, but not posted: ${why?.text ?? ""}`, waits: true },
    );
  }

  function tell(d: Done) {
    done.value = [d, ...done.value.filter((o) => o.number !== d.number)].slice(0, mostTold);
  }

  /** The documents of the batch that are to be keyed again by this person. */
  const left = computed(() =>
    (batch.data?.documents ?? []).filter(
      (d) => d.state === "kept" && !d.second && d.keyed.by !== session.person?.name,
    ),
  );
  async function compare(): Promise<boolean> {
    const of = left.value[0];
    if (!of || !batch.data) return false;
    const params = { path: { id: batch.data.id } };
    const told = await change(
      api.POST("/batches/{id}/second", { params, body: { number: of.number, document: stated(), format } }),
    );
    const count = told.differences.length;
    tell({
      number: told.number,
      said: count ? `${count} ${count === 1 ? "value differs" : "values differ"}` : "the same",
      waits: count > 0,
    });
    await batch.reload();
    return true;
  }

  async function pointToFirst() {
    const messages = trial.outcome.value?.messages ?? [];
    const first = messages.find((m) => m.severity === "refuse");
    await nextTick();
    if (first) return form.value?.point(first.field, first.line);
    document.querySelector<HTMLInputElement>(".desk .messages input")?.focus();
  }

  /** Fills the field that the cursor is in with a value, and goes on. */
  async function fill(value: string | undefined) {
    const at = standing.value;
    if (!at || value === undefined) return false;
    leave();
    const { key, line } = parseAddress(at);
    remember(at);
    dirty.value = true;
    const item: EnteredItem = { value };
    const entered = { [column(key)]: item };
    void (line ? trial.enterAll({}, [{ number: line, entered }]) : trial.enterAll({ [key]: item }, []));
    await form.value?.redraw(at);
    form.value?.next(at);
    return true;
  }

  /** What a record holds at the place of the field that the cursor is in: in lines by their order. */
  function valueIn(record: RecordView | undefined): string | undefined {
    const { key, line } = parseAddress(standing.value);
    if (!record || !key) return undefined;
    if (!line) return record.content.values[key];
    const place = trial.lines.value.indexOf(line);
    const of = record.content.lines?.[place < 0 ? trial.lines.value.length : place];
    return of?.values[column(key)];
  }

  const nothing = (where: string) => (said.value = `There is nothing to take from ${where}.`);

  const repeat = () =>
    alone(async () => {
      if (!(await fill(valueIn(previous.value)))) nothing("the document before");
    });
  const above = () => alone(takeAbove);
  async function takeAbove() {
    await trial.settled();
    const { key, line } = parseAddress(standing.value);
    const lines = trial.lines.value;
    const at = lines.indexOf(line);
    const before = line ? lines[(at < 0 ? lines.length : at) - 1] : undefined;
    const value = before && trial.fields.value.get(addressOf(key, before))?.final.value;
    if (!(await fill(value || undefined))) nothing("the line above");
  }
  /** The first link of the header that is filled: whose last document it is. */
  const partner = computed(() => {
    for (const f of entry.value?.kind.fields ?? []) {
      if (ofLine(f.key) || !f.kind) continue;
      const number = trial.fields.value.get(f.key)?.final.value;
      if (number) return { field: f.key, naming: number, label: f.label };
    }
    return undefined;
  });
  const ofPartner = () => alone(takeOfPartner);
  async function takeOfPartner() {
    await trial.settled();
    const of = partner.value;
    if (!of) return nothing("a document before: enter who it is of first");
    const params = {
      query: {
        kind: kind.value,
        company: scope.company,
        type: scope.type,
        field: of.field,
        naming: of.naming,
      },
    };
    let last: RecordView | undefined;
    await deed.attempt(async () => {
      last = (await askOnce(["last", params.query], () => api.GET("/records/last", { params }), 60_000))
        .record;
    });
    if (!(await fill(valueIn(last)))) nothing(`the last document of this ${of.label.toLowerCase()}`);
  }

  /** What stood in each field before it was changed, the last last. */
  const before = new Map<string, (EnteredItem | undefined)[]>();
  watch(trial.entered, (now, was) => {
    // What was typed is written as the value it was read as: that is no change.
    const read = (at: string) => now[at]?.value !== undefined && was[at]?.typed !== undefined;
    for (const at of new Set([...Object.keys(now), ...Object.keys(was)].filter((at) => !read(at))))
      if (JSON.stringify(now[at]) !== JSON.stringify(was[at]) && !undoing) remember(at, was[at]);
  });
  let undoing = false;
  function remember(at: string, item = trial.entered.value[at]) {
    const all = before.get(at) ?? [];
    if (!all.length || JSON.stringify(all.at(-1)) !== JSON.stringify(item))
      before.set(at, [...all, item].slice(-20));
  }
  const undo = () => alone(takeBack);
  async function takeBack() {
    const at = standing.value;
    if (!at) return;
    leave();
    const item = before.get(at)?.pop();
    undoing = true;
    const next = { ...trial.entered.value };
    if (item) next[at] = item;
    else delete next[at];
    trial.entered.value = next;
    await trial.tryDocument();
    undoing = false;
    await form.value?.redraw(at);
  }

  const keepAside = () => alone(layAside);
  async function layAside() {
    await settle();
    if (!dirty.value) return;
    const out = trial.fields.value;
    const words = Object.keys(trial.entered.value)
      .filter((at) => !at.startsWith("lines."))
      .map((at) => out.get(at)?.final.text)
      .filter(Boolean)
      .slice(0, 3)
      .join(", ");
    aside.add({ document: stated(), words: words || "Nothing in its header", at: new Date().toISOString() });
    await begin();
    said.value = "Kept aside.";
  }
  const takeUp = (a: Aside) => alone(() => takeThat(a));
  async function takeThat(a: Aside) {
    if (dirty.value) await layAside();
    const taken = aside.take(a);
    if (taken.company !== scope.company || taken.type !== scope.type) {
      unsaved.set(`/desk/${kind.value}?company=${taken.company}&type=${taken.type}`, { document: taken });
      return router.push({
        path: `/desk/${kind.value}`,
        query: { company: taken.company, type: taken.type },
      });
    }
    await begin(taken);
  }

  function assist() {
    assisted.value = !assisted.value;
    said.value = assisted.value
      ? "The cursor skips fields again."
      : "The cursor goes to every field of this document; with the next one it skips again.";
  }

  function rescope(next: { kind?: string; company?: string; type?: string }) {
    const company = next.company ?? scope.company;
    const of = next.kind ?? kind.value;
    const types = catalog.typesIn(company, of);
    const type = next.type ?? (types.some((t) => t.key === scope.type) ? scope.type : (types[0]?.key ?? ""));
    void router.push({ path: `/desk/${of}`, query: { company, type } });
  }

  function changed() {
    dirty.value = true;
    said.value = "";
    deed.forget();
  }

  const messages = computed<Schemas["Message"][]>(() => {
    const all = trial.outcome.value?.messages ?? [];
    if (!dirty.value && !strict.value) return [];
    return strict.value
      ? all
      : all.filter(
          (m) => m.code !== "required" && !m.code.startsWith("unbalanced") && m.code !== "key-again",
        );
  });

  return reactive({
    kind,
    entry,
    scope,
    trial: markRaw(trial),
    layout,
    blankLine,
    batch,
    again,
    left,
    dirty,
    strict,
    busy,
    assisted,
    done,
    said,
    standing,
    previous,
    messages,
    partner,
    trouble: computed(() => deed.trouble),
    problem: computed(() => trial.problem.value),
    aside: aside.list,
    page,
    next,
    repeat,
    above,
    ofPartner,
    undo,
    keepAside,
    takeUp,
    assist,
    rescope,
    changed,
  });
}
