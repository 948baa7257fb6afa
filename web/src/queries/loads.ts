import { api, ask, type Schemas } from "@/api/client";
import { change, useAsked } from "@/queries/client";
import { format } from "@/queries/format";
import { works, type Run } from "@/queries/runs";

export type Load = Schemas["Load"];
export type LoadSetup = Schemas["LoadSetup"];
export type LoadEntry = Schemas["LoadEntry"];

/** What becomes of a row, or of a record that a load wrote. */
export const outcomes: Record<string, string> = {
  add: "Added",
  change: "Changed",
  same: "Unchanged",
  skip: "Skipped",
  confirm: "Asks for a reason",
  refuse: "Refused",
  withdrawn: "Withdrawn",
  restored: "Restored",
  stays: "Stays",
  posted: "Posted",
  unposted: "Not posted",
  records: "Records",
  broken: "Broken",
  exact: "Exactly the same",
  near: "Similar",
  different: "Said to be different",
  merge: "Merged",
  rewrite: "Rewritten",
  names: "Rules and tables to change",
  left: "Not compared with all",
  more: "Not listed",
  findings: "Findings",
  entries: "Entries",
  unfit: "Changed or missing",
};
/** The same before anything is loaded. */
export const expected: Record<string, string> = {
  ...outcomes,
  add: "To add",
  change: "To change",
  merge: "To merge",
  rewrite: "To rewrite",
};

/** How often a load that works is asked for, in milliseconds. */
const often = 400;

export const useLoads = () =>
  useAsked(
    () => ["loads"],
    (signal) => api.GET("/loads", { signal }),
  );

export function useLoad(id: () => number) {
  return useAsked(
    () => ["loads", id()],
    (signal) => api.GET("/loads/{id}", { params: { path: { id: id() } }, signal }),
    { keep: true, often: (l) => (l.runs.some((r: Run) => works(r)) ? often : false) },
  );
}

/** The first records of a load as they would stand; stamp changes where they are to be asked for anew. */
export function usePreview(id: () => number, stamp: () => unknown) {
  return useAsked(
    () => ["loads", id(), "preview", stamp(), { ...format }],
    (signal) =>
      api.GET("/loads/{id}/preview", {
        params: { path: { id: id() }, query: { format: { ...format } } },
        signal,
      }),
    { keep: true },
  );
}

/** Brings a file. Nothing is loaded yet. */
export function bring(kind: string, file: Blob, name: string) {
  const headers = { "Content-Type": "application/octet-stream" };
  const params = { query: { kind, name } };
  return change(
    api.POST("/loads", { params, headers, body: file as unknown as string, bodySerializer: (body) => body }),
  );
}

export const setUp = (id: number, body: LoadSetup) =>
  change(api.PUT("/loads/{id}", { params: { path: { id } }, body }));
export const checkLoad = (id: number) => change(api.POST("/loads/{id}/check", { params: { path: { id } } }));
export const startLoad = (id: number) => change(api.POST("/loads/{id}/start", { params: { path: { id } } }));
export const removeSetup = (kind: string, name: string) =>
  change(api.DELETE("/loads/set-ups/{kind}/{name}", { params: { path: { kind, name } } }));
export const removeLoad = (id: number) => ask(api.DELETE("/loads/{id}", { params: { path: { id } } }));
