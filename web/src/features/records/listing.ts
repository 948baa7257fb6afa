import { computed, ref, watch } from "vue";
import { useRoute, useRouter, type LocationQueryRaw } from "vue-router";
import { api, ask, type RecordRow, type Selection } from "@/api/client";
import { format } from "@/ui/format";

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

const pageSize = 100;

/**
 * A list of records: what it shows stands in the address, and its rows are fetched by pages
 * as they come into sight. kind tells of which kind, columns which fields it shows by itself.
 */
export function useListing(kind: () => string, standardColumns: () => string[]) {
  const route = useRoute();
  const router = useRouter();

  function one(name: string): string {
    const value = route.query[name];
    return typeof value === "string" ? value : "";
  }
  function many(name: string): string[] {
    return one(name).split(",").filter(Boolean);
  }

  const selection = computed<Selection>(() => ({
    search: one("search") || undefined,
    companies: many("company"),
    types: many("type"),
    states: many("state") as Selection["states"],
    filters: readFilters(one("filters")),
    sort: one("sort") || undefined,
    descending: one("order") === "down",
  }));
  const columns = computed(() => (one("columns") ? many("columns") : standardColumns()));

  function change(next: Record<string, string>) {
    const query: LocationQueryRaw = { ...route.query, ...next };
    for (const key of Object.keys(query)) if (!query[key]) delete query[key];
    void router.replace({ path: route.path, query });
  }

  const total = ref(0);
  const all = ref(0);
  const rows = ref(new Map<number, RecordRow>());
  const problem = ref("");
  const loading = ref(false);
  const loaded = ref(false);
  let turn = 0;
  const asked = new Set<number>();

  const body = computed(() => ({
    kind: kind(),
    selection: selection.value,
    columns: columns.value,
    format,
  }));

  async function fetchPage(page: number) {
    if (asked.has(page)) return;
    asked.add(page);
    const mine = turn;
    loading.value = true;
    try {
      const answer = await ask(
        api.POST("/records/list", { body: { ...body.value, offset: page * pageSize, limit: pageSize } }),
      );
      if (mine !== turn) return;
      total.value = answer.total;
      all.value = answer.all;
      const next = new Map(rows.value);
      answer.rows.forEach((row, i) => next.set(page * pageSize + i, row));
      rows.value = next;
      problem.value = "";
      loaded.value = true;
    } catch (error) {
      if (mine !== turn) return;
      asked.delete(page);
      problem.value = (error as Error).message;
    } finally {
      if (mine === turn) loading.value = false;
    }
  }

  /** Fetches what lies between two rows. */
  function show(first: number, last: number) {
    for (let page = Math.floor(first / pageSize); page <= Math.floor(last / pageSize); page++)
      if (page === 0 || page * pageSize < total.value) void fetchPage(page);
  }

  watch(
    () => JSON.stringify(body.value),
    () => {
      turn++;
      asked.clear();
      rows.value = new Map();
      void fetchPage(0);
    },
    { immediate: true },
  );

  async function exported(): Promise<string | undefined> {
    try {
      const text = await ask(
        api.POST("/records/export", { body: { ...body.value, columns: undefined }, parseAs: "text" }),
      );
      problem.value = "";
      return text;
    } catch (error) {
      problem.value = (error as Error).message;
      return undefined;
    }
  }

  return { selection, columns, change, total, all, rows, problem, loading, loaded, show, exported };
}

export type Listing = ReturnType<typeof useListing>;

/** Filters stand in the address as field~relation~value, joined by | . */
function readFilters(text: string): Filter[] {
  return text
    .split("|")
    .filter(Boolean)
    .map((part) => {
      const [field = "", relation = "is", ...value] = part.split("~");
      return { field, relation: relation as Filter["relation"], value: value.join("~") };
    });
}

export function writeFilters(filters: Filter[]): string {
  return filters.map((f) => `${f.field}~${f.relation}~${(f.value ?? "").replaceAll("|", " ")}`).join("|");
}
