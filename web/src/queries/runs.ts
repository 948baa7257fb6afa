import { useQuery } from "@tanstack/vue-query";
import { computed, reactive, watch } from "vue";
import { api, ask, type Schemas } from "@/api/client";
import { change, queryClient, renew, usePages, type Pages } from "@/queries/client";

export type Run = Schemas["Run"];
export type RunHit = Schemas["RunHit"];

/** What a run is about, in words. */
export const runTitles: Record<Run["what"], string> = {
  impact: "Effect on existing records",
  replay: "Replay of a codicil",
  proofs: "Proofs and their strength",
  export: "Export",
  "load-check": "Load checked",
  load: "Load",
  "derive-check": "Deriving again, looked at",
  derive: "Derived again",
  "take-back": "Taken back",
  breaks: "Broken checks",
  learn: "Rules learned from records",
  duplicates: "Duplicates",
  "merge-check": "Merging, looked at",
  merge: "Merged",
  findings: "Findings in the records",
  trail: "Trail verified",
};
export const runTitle = (run: Run) => `${runTitles[run.what]}: ${run.title}`;

/** What the states of a run are called. */
export const runStates: Record<Run["state"], string> = {
  waiting: "waits for its turn",
  running: "running",
  done: "done",
  stopped: "stopped",
  failed: "failed",
  "cut off": "cut off when Codicil ended",
};

export const works = (run: Run | undefined) => run?.state === "waiting" || run?.state === "running";

/** How often a run that works is asked how far it is, in milliseconds. */
export const often = 400;

/** A run, asked for again as long as it works. */
export function useRun(id: () => number | undefined) {
  const { data, error } = useQuery(
    {
      queryKey: computed(() => ["runs", id() ?? 0]),
      queryFn: ({ signal }) => ask(api.GET("/runs/{id}", { params: { path: { id: id()! } }, signal })),
      enabled: computed(() => id() !== undefined),
      refetchInterval: (query) => (works(query.state.data) ? often : false),
    },
    queryClient,
  );
  // What it wrote can be seen anywhere.
  watch(
    () => works(data.value),
    (now, before) => before && !now && renew(),
  );
  return reactive({ data, problem: computed(() => error.value?.message ?? "") });
}

/** All runs, asked for again as long as one works. */
export function useRuns() {
  const { data, error, refetch } = useQuery(
    {
      queryKey: ["runs"],
      queryFn: ({ signal }) => ask(api.GET("/runs", { signal })),
      refetchInterval: (query) => (query.state.data?.some(works) ? often : false),
    },
    queryClient,
  );
  return reactive({ data, problem: computed(() => error.value?.message ?? ""), reload: () => refetch() });
}

/** What a run has found so far, what matters more first. */
export function useHits(run: () => Run | undefined, limit: number): Pages<RunHit> {
  return usePages(
    () => {
      const r = run();
      // As long as it works there is more with every step.
      return r && ["runs", r.id, "hits", limit, works(r) ? r.done : r.state];
    },
    (after, signal) => {
      const params = { path: { id: run()!.id }, query: { after: after || undefined, limit } };
      return api.GET("/runs/{id}/hits", { params, signal });
    },
    (page) => page.hits,
  );
}

export const startRun = (body: Schemas["ImpactRequest"]) => ask(api.POST("/runs", { body }));
export const startExport = (body: Schemas["ListRequest"]) => change(api.POST("/runs/export", { body }));
export const startProofs = (body: Schemas["ProofsRequest"]) => change(api.POST("/runs/proofs", { body }));
export const startDeriving = (body: Schemas["DeriveRequest"]) => change(api.POST("/runs/derive", { body }));
/** Takes back what a run wrote. */
export const takeRunBack = (id: number) =>
  change(api.POST("/runs/{id}/take-back", { params: { path: { id } } }));
export const stopRun = (id: number) => change(api.POST("/runs/{id}/stop", { params: { path: { id } } }));
export const removeRun = (id: number) => change(api.DELETE("/runs/{id}", { params: { path: { id } } }));
