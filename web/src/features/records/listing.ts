import { useQueries, useQuery } from "@tanstack/vue-query";
import { computed, reactive, ref, shallowRef, watch } from "vue";
import { useRoute, useRouter, type LocationQuery, type LocationQueryRaw } from "vue-router";
import { api, ask, type RecordRow, type Selection } from "@/api/client";
import { queryClient } from "@/queries/client";
import { format } from "@/queries/format";
import { useAttempt } from "@/queries/attempt";
import { startExport } from "@/queries/runs";

export type Filter = NonNullable<Selection["filters"]>[number];

/** How the relations of a filter read. */
export const relations: Record<Filter["relation"], string> = {
  is: "is",
  "is-not": "is not",
  contains: "contains",
  from: "is from",
  "up-to": "is up to",
  "is-blank": "is blank",
  "is-filled": "is filled",
  "in-band": "is in the band",
};

export function needsValue(relation: Filter["relation"]): boolean {
  return relation !== "is-blank" && relation !== "is-filled";
}

function oneOf(query: LocationQuery, name: string): string {
  const value = query[name];
  return typeof value === "string" ? value : "";
}
/** A list that stands in the address with commas between. */
export function listOf(query: LocationQuery, name: string): string[] {
  return oneOf(query, name).split(",").filter(Boolean);
}
/** Numbers of records, each by itself, as one may hold a comma; one text with commas between was written by hand. */
export function numbersOf(query: LocationQuery): string[] {
  const asked = query.numbers;
  return Array.isArray(asked) ? asked.filter((n) => n !== null) : listOf(query, "numbers");
}
/** What a list shows, as it stands in its address. */
export function selectionOf(query: LocationQuery): Selection {
  return {
    search: oneOf(query, "search") || undefined,
    companies: listOf(query, "company"),
    types: listOf(query, "type"),
    states: listOf(query, "state") as Selection["states"],
    filters: readFilters(oneOf(query, "filters")),
    sort: oneOf(query, "sort") || undefined,
    descending: oneOf(query, "order") === "down",
  };
}

const pageSize = 100;
/** Up to how many records it is told how many there are, and as many rows are shown. */
const countedAtMost = 10_000;
const mostShown = countedAtMost;
/** How long a list may be that is exported while somebody waits. */
const exportedAtOnce = 5000;

/**
 * A list of records: what it shows stands in the address, and its rows are fetched by pages
 * as they come into sight. kind tells of which kind, columns which fields it shows by itself.
 */
export function useListing(kind: () => string, standardColumns: () => string[]) {
  const route = useRoute();
  const router = useRouter();
  const exporting = useAttempt();

  const selection = computed(() => selectionOf(route.query));
  const columns = computed(() => {
    const asked = listOf(route.query, "columns");
    return asked.length ? asked : standardColumns();
  });

  function change(next: Record<string, string>) {
    const query: LocationQueryRaw = { ...route.query, ...next };
    for (const key of Object.keys(query)) if (!query[key]) delete query[key];
    void router.replace({ path: route.path, query });
  }

  const body = computed(() => ({
    kind: kind(),
    selection: selection.value,
    columns: columns.value,
    format: { ...format },
  }));
  /** The pages in sight; the first is always asked for, it tells how many rows there are. */
  const inSight = ref<number[]>([0]);
  watch(
    () => JSON.stringify(body.value),
    () => (inSight.value = [0]),
  );

  const page = (at: number) => ({
    queryKey: ["records", body.value, at],
    queryFn: ({ signal }: { signal: AbortSignal }) => {
      const asked = { ...body.value, offset: at * pageSize, limit: pageSize };
      return ask(api.POST("/records/list", { body: asked, signal }));
    },
  });
  const pages = useQueries(
    {
      queries: computed(() => inSight.value.map(page)),
      shallow: true,
    },
    queryClient,
  );
  /** Nothing narrows the list: it has all records. */
  const whole = computed(() => {
    const { search, companies, types, states, filters } = selection.value;
    return !search && ![companies, types, states, filters].some((some) => some?.length);
  });
  /** How many there are, where a page tells it only as far as it is soon known. */
  const counted = useQuery(
    {
      queryKey: computed(() => ["records-counted", body.value]),
      queryFn: ({ signal }) => ask(api.POST("/records/count", { body: body.value, signal })),
      enabled: computed(
        () => !whole.value && pages.value.some((p) => p.data?.more && p.data.total < countedAtMost),
      ),
    },
    queryClient,
  );
  /** What the pages in sight say. */
  const answered = computed(() => {
    const first = pages.value.find((p) => p.data)?.data;
    if (!first) return undefined;
    const rows = new Map<number, RecordRow>();
    pages.value.forEach((p, i) =>
      p.data?.rows.forEach((row, at) => rows.set(inSight.value[i]! * pageSize + at, row)),
    );
    const told = (first.more && counted.data.value) || first;
    const found = whole.value ? first.all : told.total;
    const more = (told.more && !whole.value) || found > mostShown;
    return { table: table.value, total: Math.min(found, mostShown), found, more, all: first.all, rows };
  });
  /** Rows of one table can be shown in place of each other: they are of one kind, in the same columns. */
  const table = computed(() => JSON.stringify([kind(), columns.value]));
  const last = shallowRef<typeof answered.value>();
  watch(answered, (now) => now && (last.value = now), { immediate: true });
  /** Until a new question is answered, and where it is not, the rows of the one before stay. */
  const known = computed(
    () => answered.value ?? (last.value?.table === table.value ? last.value : undefined),
  );

  /** Fetches what lies between two rows. */
  function show(first: number, last: number) {
    const from = Math.floor(Math.max(0, first) / pageSize);
    const until = Math.floor(Math.max(0, last) / pageSize);
    const wanted = Array.from({ length: until - from + 1 }, (_, i) => from + i);
    const next = [...new Set([0, ...wanted.filter((page) => page * pageSize < (known.value?.total ?? 0))])];
    if (next.join() !== inSight.value.join()) inSight.value = next;
  }

  /** The numbers of the records between two places of the list, both included, as it is shown now. */
  async function between(one: number, other: number): Promise<string[]> {
    const [first, last] = [Math.min(one, other), Math.max(one, other)];
    const numbers: string[] = [];
    for (let at = Math.floor(first / pageSize); at * pageSize <= last; at++) {
      const { rows } = await queryClient.fetchQuery(page(at));
      const from = at * pageSize;
      numbers.push(...rows.slice(Math.max(0, first - from), last - from + 1).map((r) => r.number));
    }
    return numbers;
  }

  /** The list as a file; a long one is written by a run, which is told instead. */
  async function exported(): Promise<{ text?: string; run?: number }> {
    const told: { text?: string; run?: number } = {};
    await exporting.attempt(async () => {
      const asked = { ...body.value, columns: undefined };
      if (known.value?.more || (known.value?.total ?? 0) > exportedAtOnce)
        told.run = (await startExport(asked)).id;
      else told.text = await ask(api.POST("/records/export", { body: asked, parseAs: "text" }));
    });
    return told;
  }

  return reactive({
    selection,
    columns,
    change,
    /** How many rows there are to look at, and how many the list has, or more than those. */
    total: computed(() => known.value?.total ?? 0),
    found: computed(() => known.value?.found ?? 0),
    /** Nothing narrows the list: it has all records. */
    whole,
    more: computed(() => known.value?.more ?? false),
    all: computed(() => known.value?.all ?? 0),
    rows: computed(() => known.value?.rows ?? new Map<number, RecordRow>()),
    problem: computed(
      () =>
        pages.value.find((p) => p.error)?.error?.message ??
        counted.error.value?.message ??
        exporting.trouble.problem,
    ),
    retry: () =>
      queryClient.invalidateQueries({
        predicate: ({ queryKey: [first] }) => first === "records" || first === "records-counted",
      }),
    loading: computed(() => pages.value.some((p) => p.isFetching) || counted.isFetching.value),
    loaded: computed(() => !!known.value),
    show,
    between,
    exported,
  });
}

export type Listing = ReturnType<typeof useListing>;

/** What separates filters and their parts in the address, wherever it stands in a value, too. */
const written = (value: string) => value.replace(/[%|~]/g, (c) => `%${c.charCodeAt(0).toString(16)}`);
const readBack = (value: string) =>
  value.replace(/%(25|7c|7e)/gi, (_, code: string) => String.fromCharCode(parseInt(code, 16)));

/** Filters stand in the address as field~relation~value, joined by | . */
export function readFilters(text: string): Filter[] {
  return text
    .split("|")
    .filter(Boolean)
    .map((part) => {
      const [field = "", relation = "is", ...value] = part.split("~");
      return { field, relation: relation as Filter["relation"], value: readBack(value.join("~")) };
    });
}

export function writeFilters(filters: Filter[]): string {
  return filters.map((f) => `${f.field}~${f.relation}~${written(f.value ?? "")}`).join("|");
}
