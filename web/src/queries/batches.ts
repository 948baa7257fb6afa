import { api, ask, type Schemas } from "@/api/client";
import { change, useAsked } from "@/queries/client";
import { format } from "@/queries/format";

export type Batch = Schemas["Batch"];
export type BatchHead = Schemas["BatchHead"];

/** The batches of a kind, undefined for all, the newest first. */
export function useBatches(kind: () => string | undefined, open: () => boolean) {
  return useAsked(
    () => ["batches", kind(), open(), { ...format }],
    (signal) =>
      api.GET("/batches", {
        params: { query: { kind: kind(), state: open() ? ["open"] : undefined, format } },
        signal,
      }),
    { keep: true },
  );
}

export function useBatch(id: () => number | undefined) {
  return useAsked(
    () => (id() ? ["batch", id(), { ...format }] : undefined),
    (signal) => api.GET("/batches/{id}", { params: { path: { id: id()! }, query: { format } }, signal }),
    { keep: true },
  );
}

export const beginBatch = (of: { kind: string; company: string; type: string }, head: BatchHead) =>
  change(api.POST("/batches", { body: { ...of, head, format } }));

export const changeBatch = (b: Batch, head: BatchHead, state = b.state) =>
  change(
    api.PUT("/batches/{id}", {
      params: { path: { id: b.id } },
      body: { head, state, version: b.version, format },
    }),
  );

export const postBatch = (b: Batch, reason: string) =>
  change(
    api.POST("/batches/{id}/post", {
      params: { path: { id: b.id } },
      body: { version: b.version, reason: reason || undefined, format },
    }),
  );

export const settleDifference = (
  b: Batch,
  number: string,
  d: Schemas["BatchDifference"],
  take: "first" | "second",
) =>
  change(
    api.POST("/batches/{id}/differences", {
      params: { path: { id: b.id } },
      body: { number, field: d.field, line: d.line, take, format },
    }),
  );

/** Records of a kind that fit some words. */
export const findRecords = (kind: string, company: string, search: string) =>
  ask(api.GET("/links/{kind}", { params: { path: { kind }, query: { search, company } } }));
