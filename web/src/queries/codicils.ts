import { useSessionStorage } from "@vueuse/core";
import { computed, reactive, watch } from "vue";
import { api, ask, by, type Codicil, type Schemas } from "@/api/client";
import { change, shownRules, useAsked } from "@/queries/client";
import { dayInWords, format } from "@/queries/format";

export type CodicilState = Schemas["CodicilState"];
export type CodicilSummary = Schemas["CodicilSummary"];

/** By which rules this tab shows: "" by those in force, "codicil-14" with that codicil, "2026-03-03" as on that day. */
const chosen = useSessionStorage("codicil-shown", "");
by.rules = () => chosen.value;
watch(chosen, (rules) => (shownRules.value = rules), { immediate: true, flush: "sync" });

const numbered = (rules: string) => Number(/^codicil-(\d+)$/.exec(rules)?.[1] ?? 0);

/** By which rules the screens show, and how that is chosen. */
export function useShown() {
  const codicil = computed(() => numbered(chosen.value));
  const day = computed(() => (codicil.value ? "" : chosen.value));
  const asked = useCodicil(() => codicil.value || undefined);
  const open = computed(() => !!asked.data && isOpen(asked.data.state));
  return reactive({
    rules: chosen,
    /** The codicil that is shown; 0: none. */
    codicil,
    day,
    title: computed(() => asked.data?.title ?? ""),
    /** What is changed goes into the codicil. */
    takesChanges: computed(() => !chosen.value || open.value),
    problem: computed(() => (codicil.value ? asked.problem : "")),
    /** In words, as the head of the plan says it. */
    words: computed(() => shownInWords(chosen.value)),
    show: (rules: string) => (chosen.value = rules),
  });
}

export function shownInWords(rules: string): string {
  if (!rules) return "as in force";
  const codicil = numbered(rules);
  return codicil ? `with codicil ${codicil}` : `as it was on ${dayInWords(rules)}`;
}

export const isOpen = (state: CodicilState) => state !== "in force" && state !== "withdrawn";

export const codicilStates: Record<CodicilState, string> = {
  open: "Open",
  submitted: "Submitted",
  agreed: "Agreed",
  "in force": "In force",
  withdrawn: "Withdrawn",
};

/**
 * The codicils in some states, none: in any, with those that owe signatures where they are wanted too; the newest first.
 * undefined asks nothing.
 */
export function useCodicils(
  states: () => CodicilState[] | undefined,
  most: () => number = () => 50,
  owed = false,
) {
  return useAsked(
    () => (states() ? ["codicils", states(), most(), owed] : undefined),
    (signal) => api.GET("/codicils", { params: { query: { state: states(), limit: most(), owed } }, signal }),
    { keep: true },
  );
}

export function useCodicil(id: () => number | undefined) {
  return useAsked(
    () => (id() ? ["codicil", id(), { ...format }] : undefined),
    (signal) => api.GET("/codicils/{id}", { params: { path: { id: id()! }, query: { format } }, signal }),
  );
}

/** A table, field, layout or map; with a row of a table, only what was made of that. */
export interface Thing {
  what: Schemas["ThingKind"];
  key: string;
  row?: string[];
}

/** What codicils in force made of a thing. */
export function useThingHistory(thing: () => Thing | undefined) {
  return useAsked(
    () => (thing() ? ["history", thing(), { ...format }] : undefined),
    (signal) => api.GET("/codicils/history", { params: { query: { ...thing()!, format } }, signal }),
    { keep: true },
  );
}

/** What differs in a thing from how one codicil brought it into force to how another did. */
export function useThingCompared(of: () => (Thing & { from: number; to: number }) | undefined) {
  return useAsked(
    () => (of() ? ["compared", of(), { ...format }] : undefined),
    (signal) => api.GET("/codicils/compared", { params: { query: { ...of()!, format } }, signal }),
    { keep: true },
  );
}

/** Takes a thing back to what it was, as a change in the codicil that is shown, or in a new one. */
export const restoreThing = (body: Omit<Schemas["Restoration"], "into">) =>
  change(
    api.POST("/codicils/restorations", { body: { ...body, into: numbered(chosen.value) || undefined } }),
  );

export const beginCodicil = (head: Schemas["CodicilHead"]) => change(api.POST("/codicils", { body: head }));

export const changeCodicil = (id: number, head: Schemas["CodicilHead"]) =>
  change(api.PUT("/codicils/{id}", { params: { path: { id } }, body: head }));

export const moveCodicil = (c: Codicil, state: CodicilState, reason = "") =>
  moveAs(c, { state, version: c.version, reason });

async function moveAs(c: Codicil, body: Schemas["CodicilMove"]): Promise<Codicil> {
  const moved = await change(api.POST("/codicils/{id}/state", { params: { path: { id: c.id } }, body }));
  // What ended is shown no more: what it made is in force, or nothing came of it.
  if (numbered(chosen.value) === c.id && !isOpen(moved.state)) chosen.value = "";
  return moved;
}

/** Puts it in force though others must sign it, who owe that. */
export const forceUrgently = (c: Codicil, reason: string) =>
  moveAs(c, { state: "in force", version: c.version, reason, urgent: true });

/** Everything that can be found about it. */
export const checkCodicil = (id: number) =>
  ask(api.POST("/codicils/{id}/check", { params: { path: { id }, query: { whole: true, format } } }));

/** Signs it as it was read. */
export const signCodicil = (c: Codicil, reason = "") =>
  change(
    api.POST("/codicils/{id}/signatures", {
      params: { path: { id: c.id } },
      body: { hash: c.hash, reason: reason || undefined },
    }),
  );

/** By what it is recognised on paper. */
export const askFiled = (id: number) => ask(api.GET("/codicils/{id}/filed", { params: { path: { id } } }));

export const useSigning = () =>
  useAsked(
    () => ["signing"],
    (signal) => api.GET("/signing", { signal }),
  );

export const changeSigning = (body: Schemas["SigningChange"]) => change(api.PUT("/signing", { body }));

/** Tries it on what exists; days are as 2026-11-24, "" leaves the time open. */
export const startReplay = (id: number, since: string, until: string) =>
  ask(
    api.POST("/codicils/{id}/replays", {
      params: { path: { id } },
      body: { since: since || undefined, until: until || undefined },
    }),
  );

/** One record or posted document, with it and without. */
export function useReplayed(of: () => { id: number; kind: string; number: string }) {
  return useAsked(
    () => ["replayed", of(), { ...format }],
    (signal) =>
      api.GET("/codicils/{id}/replays/{kind}/{number}", {
        params: { path: of(), query: { format } },
        signal,
      }),
  );
}

export const settleChange = (c: Codicil, { what, key }: Schemas["CodicilChange"], keep: boolean) =>
  change(
    api.POST("/codicils/{id}/settle", {
      params: { path: { id: c.id } },
      body: { what, key, keep, version: c.version },
    }),
  );

export const takeCodicilBack = (id: number) =>
  change(api.POST("/codicils/{id}/take-back", { params: { path: { id } } }));
