import { api, type Schemas } from "@/api/client";
import { change, useAsked, usePages } from "@/queries/client";
import { format } from "@/queries/format";

export type DuplicateBy = Schemas["DuplicateBy"];
export type DuplicateDefinition = Schemas["DuplicateDefinition"];
export type DuplicateGroup = Schemas["DuplicateGroup"];
export type MergePlan = Schemas["MergePlan"];
export type MergePreview = Schemas["MergePreview"];
export type Preference = Schemas["Preference"];

/** By what records of a kind can be duplicates, with the last scan by each. */
export const useDuplicates = (kind: () => string) =>
  useAsked(
    () => (kind() ? ["duplicates", kind(), { ...format }] : undefined),
    (signal) => api.GET("/duplicates", { params: { query: { kind: kind() } }, signal }),
    { keep: true },
  );

/** What a scan found, as it is now. stamp changes where more of it is there. */
export const useFound = (run: () => number | undefined, what: () => "exact" | "near", stamp: () => unknown) =>
  usePages(
    () => (run() ? ["duplicates", "found", run(), what(), stamp()] : undefined),
    (after, signal) => {
      const params = { path: { id: run()! }, query: { after: after || undefined, limit: 50, what: what() } };
      return api.GET("/runs/{id}/duplicates", { params, signal });
    },
    (page) => page.groups,
  );

/** Records of which somebody said that they are different. */
export const useDifferent = (kind: () => string | undefined) =>
  usePages(
    () => (kind() ? ["duplicates", "different", kind()] : undefined),
    (after, signal) => {
      const params = { path: { kind: kind()! }, query: { after: after || undefined } };
      return api.GET("/duplicates/{kind}/different", { params, signal });
    },
    (page) => page.differences,
  );

export const define = (kind: string, name: string, body: DuplicateBy) =>
  change(api.PUT("/duplicates/{kind}/definitions/{name}", { params: { path: { kind, name } }, body }));
export const removeDefinition = (kind: string, name: string) =>
  change(api.DELETE("/duplicates/{kind}/definitions/{name}", { params: { path: { kind, name } } }));
export const scan = (kind: string, name: string, by: DuplicateBy) =>
  change(api.POST("/runs/duplicates", { body: { kind, name, by } }));
export const sayDifferent = (kind: string, numbers: string[], reason: string) =>
  change(api.POST("/duplicates/{kind}/different", { params: { path: { kind } }, body: { numbers, reason } }));
export const takeDifferentBack = (kind: string, number: string, other: string) =>
  change(
    api.DELETE("/duplicates/{kind}/different", { params: { path: { kind }, query: { number, other } } }),
  );
export const startMerge = (body: Schemas["MergeRequest"]) => change(api.POST("/runs/merge", { body }));

/** Records side by side, and what merging them would do; none: nothing is asked. */
export const usePreviewedMerge = (plan: () => MergePlan | undefined) =>
  useAsked(
    () => {
      const p = plan();
      return p && ["merge", { ...p, format: { ...format } }];
    },
    (signal) => api.POST("/merges/preview", { body: { ...plan()!, format: { ...format } }, signal }),
    { keep: true },
  );

/** How much two texts share at their beginning and end: what differs stands between. */
export function differing(text: string, other: string): [same: string, differs: string, same: string] {
  let from = 0;
  while (from < text.length && from < other.length && text[from] === other[from]) from++;
  let end = 0;
  while (
    end < text.length - from &&
    end < other.length - from &&
    text[text.length - 1 - end] === other[other.length - 1 - end]
  )
    end++;
  return [text.slice(0, from), text.slice(from, text.length - end), text.slice(text.length - end)];
}
