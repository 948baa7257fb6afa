import { keepPreviousData, QueryClient, useInfiniteQuery, useQuery } from "@tanstack/vue-query";
import { computed, reactive, ref } from "vue";
import { ask, type Answer } from "@/api/client";
import { readLines } from "@/api/lines";

/**
 * What the server answered, by question. An answer is shown at once and asked for anew whenever
 * a screen that shows it is opened; the server is on this machine or near it, so nothing is tried twice.
 */
export const queryClient = new QueryClient({
  defaultOptions: { queries: { networkMode: "always", retry: false, refetchOnWindowFocus: false } },
});

/** By which rules is asked, "" by those in force: the same question by others is another one. */
export const shownRules = ref("");
const asShown = (key: readonly unknown[] | undefined) =>
  key && shownRules.value ? [...key, shownRules.value] : (key ?? []);

export interface Asked<T> {
  /** The last answer; one that cannot be had anew stays. */
  data: T | undefined;
  /** Why there is no newer answer; "" where there is. */
  problem: string;
  loading: boolean;
  reload: () => Promise<unknown>;
}

/**
 * Asks the server a question and keeps the answer. key names the question: another key is another
 * question, none asks nothing. keep shows the answer to the question before until the new one is there;
 * lasting says that only a change makes it another answer; often, in how many milliseconds it is asked for again.
 */
export function useAsked<T>(
  key: () => readonly unknown[] | undefined,
  fetch: (signal: AbortSignal) => Promise<Answer<T>>,
  { keep = false, lasting = false, often = undefined as ((data: T) => number | false) | undefined } = {},
): Asked<T> {
  const { data, error, isFetching, refetch } = useQuery(
    {
      queryKey: computed(() => asShown(key())),
      queryFn: ({ signal }) => ask(fetch(signal)),
      enabled: computed(() => key() !== undefined),
      placeholderData: keep ? keepPreviousData : undefined,
      staleTime: lasting ? Infinity : 0,
      refetchInterval: (query) => (often && query.state.data ? often(query.state.data as T) : false),
      shallow: true,
    },
    queryClient,
  );
  const problem = computed(() => error.value?.message ?? "");
  return reactive({ data, problem, loading: isFetching, reload: () => refetch() }) as Asked<T>;
}

/** What is asked for a page at a time; further pages when a person wants them. */
export interface Pages<Row> extends Asked<Row[]> {
  more: boolean;
  next: () => Promise<unknown>;
}

/** Asks for a list by pages: rows takes the rows out of one, whose next names the one after it. */
export function usePages<Page extends { next: string }, Row>(
  key: () => readonly unknown[] | undefined,
  fetch: (after: string, signal: AbortSignal) => Promise<Answer<Page>>,
  rows: (page: Page) => Row[],
): Pages<Row> {
  const { data, error, isFetching, hasNextPage, fetchNextPage, refetch } = useInfiniteQuery(
    {
      queryKey: computed(() => asShown(key())),
      queryFn: ({ pageParam, signal }) => ask(fetch(pageParam, signal)),
      initialPageParam: "",
      getNextPageParam: (last: Page) => last.next || undefined,
      enabled: computed(() => key() !== undefined),
      placeholderData: keepPreviousData,
      staleTime: 0,
      shallow: true,
    },
    queryClient,
  );
  const all = computed(() => data.value?.pages.flatMap(rows));
  const problem = computed(() => error.value?.message ?? "");
  return reactive({
    data: all,
    problem,
    loading: isFetching,
    more: hasNextPage,
    next: () => fetchNextPage(),
    reload: () => refetch(),
  }) as unknown as Pages<Row>;
}

/**
 * Asks a question whose answer comes in lines, and shows them as they arrive. Where there is an answer
 * already, it stays until the new one is whole.
 */
export function useLines<T>(key: () => readonly unknown[] | undefined, path: () => string): Asked<T[]> {
  const { data, error, isFetching, refetch } = useQuery(
    {
      queryKey: computed(() => asShown(key())),
      queryFn: async ({ signal, queryKey }) => {
        const first = queryClient.getQueryData(queryKey) === undefined;
        const lines: T[] = [];
        await readLines(
          path(),
          { method: "GET", signal },
          (line) => lines.push(line as T),
          () => first && queryClient.setQueryData(queryKey, [...lines]),
        );
        return lines;
      },
      enabled: computed(() => key() !== undefined),
      shallow: true,
    },
    queryClient,
  );
  const problem = computed(() => error.value?.message ?? "");
  return reactive({ data, problem, loading: isFetching, reload: () => refetch() }) as Asked<T[]>;
}

/**
 * Asks a question outside of a screen that shows its answer. An answer that is younger than good,
 * in milliseconds, need not be asked for anew.
 */
export function askOnce<T>(key: readonly unknown[], fetch: () => Promise<Answer<T>>, good = 0): Promise<T> {
  const queryKey = asShown(key);
  // An answer that is under way may be of before whatever this asks for.
  if (!good) void queryClient.cancelQueries({ queryKey, exact: true }, { silent: true });
  return queryClient.fetchQuery({ queryKey, queryFn: () => ask(fetch()), staleTime: good });
}

/**
 * Asks anew for what is on the screen, and for what is not when it is opened; which tells for which questions, by the first
 * word of their keys. Who is signed in is no other for a change; what changes that says so.
 */
export function renew(which: (key: string) => boolean = () => true) {
  const predicate = ({ queryKey }: { queryKey: readonly unknown[] }) =>
    queryKey[0] !== "session" && which(String(queryKey[0]));
  // A first answer that is under way is not given up, so that it is shown however often this is called. It may be
  // of before, so that it is asked for again then.
  for (const { queryKey, state, promise } of queryClient
    .getQueryCache()
    .findAll({ predicate, fetchStatus: "fetching" }))
    if (state.data === undefined)
      void promise
        ?.then(() => queryClient.invalidateQueries({ queryKey, exact: true }))
        .catch(() => undefined);
  void queryClient.invalidateQueries({ predicate });
}

/** When this tab changed something last. */
export const ownChange = { at: 0 };

/**
 * Sends a change. A change of one thing can be seen in any other, a rule in every record: whatever is on the
 * screen is asked for anew, and what is not is when it is opened.
 */
export async function change<T>(request: Promise<Answer<T>>): Promise<T> {
  const answer = await ask(request);
  ownChange.at = Date.now();
  renew();
  return answer;
}
