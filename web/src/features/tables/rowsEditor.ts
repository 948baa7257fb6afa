import { computed, nextTick, reactive, ref, toRef, type Ref } from "vue";
import { useAttempt } from "@/queries/attempt";
import { askOnce, change } from "@/queries/client";
import { useSession } from "@/queries/session";
import { allRead } from "@/queries/values";
import { problemAt, useWhileTyping, type PlacedProblem } from "@/queries/whileTyping";
import { ask, type Answer } from "@/api/client";

/** What is kept under a key and consists of rows: a crosswalk, a choice list. */
export interface OfRows {
  key: string;
  label: string;
  note?: string;
}
interface View {
  version?: number;
  problems: PlacedProblem[];
}

/** How a thing of rows is asked for and saved. */
export interface RowsWork<Thing extends OfRows, Row, Seen extends View> {
  /** The key of the one that is open, blank for a new one. */
  key: string;
  /** Its name among what the server was asked for. */
  name: string;
  blank: () => Thing;
  thing: (view: Seen) => Thing;
  rows: (thing: Thing) => Row[];
  put: (thing: Thing, rows: Row[]) => void;
  blankRow: (thing: Thing) => Row;
  isBlank: (row: Row) => boolean;
  /** What a search of the rows looks in. */
  words: (row: Row) => string;
  get: (key: string) => Promise<Answer<Seen>>;
  check: (thing: Thing, signal: AbortSignal) => Promise<Answer<Seen>>;
  read: (thing: Thing, text: string, replace: boolean) => Promise<Answer<Seen>>;
  save: (key: string, thing: Thing, version: number) => Promise<Answer<Seen>>;
  remove: (key: string) => Promise<Answer<unknown>>;
  /** Called after it was saved under this key. */
  saved: (key: string) => void;
  closed: () => void;
}

/** How many rows are drawn before somebody asks for more. */
const firstDrawn = 100;

/**
 * A thing of rows, changed as a copy that the server checks while it is typed, and saved under the version
 * that was read. Every step costs the rows once; only what is drawn costs the page.
 */
export function useRowsEditor<Thing extends OfRows, Row, Seen extends View>(
  work: RowsWork<Thing, Row, Seen>,
) {
  const tried = useAttempt();
  const session = useSession();
  const draft = ref() as Ref<Thing | undefined>;
  const undo = ref() as Ref<Thing | undefined>;
  const version = ref(0);
  const kept = ref("");
  const done = ref("");
  const words = ref("");
  const most = ref(firstDrawn);
  const grid = ref<HTMLElement>();
  const adding = computed(() => version.value === 0);
  const mayChange = computed(() => session.may("tables.change") && session.everywhere);
  const dirty = computed(() => JSON.stringify(draft.value) !== kept.value);
  const copy = (thing: Thing) => JSON.parse(JSON.stringify(thing)) as Thing;

  const checked = useWhileTyping(
    () => draft.value,
    (thing, signal) => ask(work.check(thing, signal)),
  );
  function take(view: Seen) {
    draft.value = copy(work.thing(view));
    checked.answer = view;
    if (view.version) version.value = view.version;
  }
  async function load() {
    if (!work.key) {
      draft.value = work.blank();
      add();
      return;
    }
    await tried.attempt(async () => {
      take(await askOnce(["tables", work.name, work.key], () => work.get(work.key)));
      kept.value = JSON.stringify(draft.value);
    });
  }
  void load();

  const rows = computed(() => (draft.value ? work.rows(draft.value) : []));
  /** The rows with the words that are looked for, each with its place. */
  const found = computed(() => {
    const wanted = words.value.trim().toLowerCase();
    return rows.value
      .map((row, at) => ({ row, at }))
      .filter(({ row }) => !wanted || work.words(row).toLowerCase().includes(wanted));
  });

  const problems = computed(() => checked.answer?.problems ?? []);
  const wrong = (row: number, column: string) => problemAt(problems.value, row, column);
  const wrongThing = computed(() => problems.value.filter((p) => p.row < 0));
  /** Rows with a problem are told by number, as most may be out of sight. */
  const wrongRows = computed(() => [
    ...new Set(problems.value.filter((p) => p.row >= 0).map((p) => p.row + 1)),
  ]);

  function add() {
    const thing = draft.value!;
    words.value = "";
    work.put(thing, [...work.rows(thing), work.blankRow(thing)]);
    most.value = Math.max(most.value, rows.value.length);
    void nextTick(() => {
      const last = grid.value?.querySelector("tbody tr:last-child");
      last?.querySelector<HTMLElement>("input:not([type=checkbox])")?.focus();
    });
  }
  const removeAt = (at: number) =>
    work.put(
      draft.value!,
      rows.value.filter((_, i) => i !== at),
    );

  /** Enter and the arrows go up and down as in a spreadsheet. */
  function onKey(event: KeyboardEvent) {
    const input = event.target as HTMLElement;
    const step = { ArrowDown: 1, Enter: 1, ArrowUp: -1 }[event.key];
    const cell = input.closest("td");
    if (!step || !cell || input.closest(".date-input") || !input.matches("tbody input.line")) return;
    event.preventDefault();
    const row = cell.parentElement!;
    const next = (
      step > 0 ? row.nextElementSibling : row.previousElementSibling
    ) as HTMLTableRowElement | null;
    const there = next?.cells[cell.cellIndex]?.querySelector<HTMLElement>("input.line");
    if (there) there.focus();
    else if (event.key === "Enter" && mayChange.value) add();
  }
  /** Rows that are pasted from a spreadsheet are read by the server; a single value is just typed. */
  async function paste(event: ClipboardEvent) {
    const text = event.clipboardData?.getData("text/plain") ?? "";
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    await readRows(text, false);
  }
  async function readRows(text: string, replace: boolean) {
    const before = draft.value!;
    const thing = copy(before);
    const now = work.rows(thing).filter((row) => !work.isBlank(row));
    work.put(thing, now);
    await tried.attempt(async () => {
      const view = await ask(work.read(thing, text, replace));
      const count = work.rows(work.thing(view)).length;
      const added = count - now.length;
      done.value = replace
        ? `The file has ${count === 1 ? "1 row" : `${count} rows`}.`
        : `${added === 1 ? "1 row was" : `${added} rows were`} added; the others replace those of the same code.`;
      undo.value = before;
      take({ ...view, version: version.value });
    });
  }
  function discard() {
    draft.value = undo.value;
    undo.value = undefined;
    done.value = "";
  }

  async function save() {
    await allRead();
    const thing = copy(draft.value!);
    work.put(
      thing,
      work.rows(thing).filter((row) => !work.isBlank(row)),
    );
    const sent = JSON.stringify(draft.value);
    await tried.attempt(async () => {
      const view = await change(work.save(thing.key, thing, version.value));
      // What was typed since then stays.
      if (JSON.stringify(draft.value) === sent) take(view);
      else if (view.version) version.value = view.version;
      kept.value = JSON.stringify(work.thing(view));
      undo.value = undefined;
      done.value = "Saved.";
      work.saved(thing.key);
    });
  }
  async function remove() {
    if (await tried.attempt(() => change(work.remove(draft.value!.key)))) work.closed();
  }

  return reactive({
    draft,
    kept,
    adding,
    dirty,
    mayChange,
    busy: toRef(tried, "busy"),
    trouble: toRef(tried, "trouble"),
    attempt: tried.attempt,
    done,
    undo,
    words,
    most,
    grid,
    rows,
    found,
    wrong,
    wrongThing,
    wrongRows,
    add,
    removeAt,
    onKey,
    paste,
    readFile: async (file: File) => readRows(await file.text(), true),
    discard,
    save,
    remove,
    close: work.closed,
  });
}

/** What the page of a thing of rows needs of its editing. */
export interface RowsEditing {
  draft?: OfRows;
  adding: boolean;
  dirty: boolean;
  mayChange: boolean;
  busy: boolean;
  trouble: { problem: string };
  done: string;
  undo?: OfRows;
  most: number;
  grid?: HTMLElement;
  rows: unknown[];
  wrongThing: PlacedProblem[];
  wrongRows: number[];
  add: () => void;
  onKey: (event: KeyboardEvent) => void;
  paste: (event: ClipboardEvent) => unknown;
  readFile: (file: File) => unknown;
  discard: () => void;
  save: () => unknown;
  remove: () => unknown;
  close: () => void;
}
