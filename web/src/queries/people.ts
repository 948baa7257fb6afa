import { startRegistration } from "@simplewebauthn/browser";
import { api, ask, RequestError, type Answer, type Schemas } from "@/api/client";
import { change, queryClient, useAsked, usePages } from "@/queries/client";

export type Person = Schemas["Person"];
export type PersonChange = Schemas["PersonChange"];
export type Role = Schemas["Role"];
export type ProgramKey = Schemas["ProgramKey"];
export type TrailEntry = Schemas["TrailEntry"];
export type SessionTold = Schemas["SessionTold"];

export const usePersons = () =>
  useAsked(
    () => ["persons"],
    (signal) => api.GET("/persons", { signal }),
    { keep: true },
  );
export const useRoles = () =>
  useAsked(
    () => ["roles"],
    (signal) => api.GET("/roles", { signal }),
    { keep: true },
  );
export const useKeys = () =>
  useAsked(
    () => ["keys"],
    (signal) => api.GET("/keys", { signal }),
    { keep: true },
  );
export const useSessions = () =>
  useAsked(
    () => ["account", "sessions"],
    (signal) => api.GET("/account/sessions", { signal }),
    { keep: true },
  );

/** What somebody may do changes with persons and roles: also what the one at work may. */
async function changeRights<T>(request: Promise<Answer<T>>): Promise<T> {
  const answer = await change(request);
  void queryClient.invalidateQueries({ queryKey: ["session"] });
  return answer;
}

export const addPerson = (body: PersonChange) => change(api.POST("/persons", { body }));
export const changePerson = (key: string, body: PersonChange) =>
  changeRights(api.PUT("/persons/{key}", { params: { path: { key } }, body }));
export const resetPerson = (key: string) =>
  change(api.POST("/persons/{key}/reset", { params: { path: { key } } }));
export const saveRole = (key: string, body: Schemas["RoleChange"]) =>
  changeRights(api.PUT("/roles/{key}", { params: { path: { key } }, body }));
export const removeRole = (key: string) => change(api.DELETE("/roles/{key}", { params: { path: { key } } }));
export const addKey = (body: Schemas["KeyChange"]) => change(api.POST("/keys", { body }));
export const revokeKey = (key: string) => change(api.DELETE("/keys/{key}", { params: { path: { key } } }));
export const endSession = (key: string) =>
  change(api.DELETE("/account/sessions/{key}", { params: { path: { key } } }));
export const beginFactor = (password: string) => change(api.POST("/account/factor", { body: { password } }));
export const confirmFactor = (code: string) => change(api.PUT("/account/factor", { body: { code } }));
export const removeFactor = (password: string) =>
  change(api.POST("/account/factor/remove", { body: { password } }));

export interface TrailAsked {
  search: string;
  person: string;
  from: string;
  to: string;
}
const asked = (q: TrailAsked) => ({
  search: q.search.trim() || undefined,
  person: q.person || undefined,
  from: q.from || undefined,
  to: q.to || undefined,
});
export const useTrail = (q: () => TrailAsked) =>
  usePages(
    () => ["trail", q()],
    (after, signal) =>
      api.GET("/trail", { params: { query: { ...asked(q()), after: after || undefined } }, signal }),
    (page) => page.entries,
  );
/** Begins to look at every entry of the trail. */
export const verifyTrail = () => change(api.POST("/runs/trail"));
/** Where the entries that are shown are taken out as a file. */
export function trailFile(q: TrailAsked, as: "csv" | "ndjson"): string {
  const query = new URLSearchParams({ as });
  for (const [key, value] of Object.entries(asked(q))) if (value) query.set(key, value);
  return `/api/v1/trail/export?${query.toString()}`;
}

export const usePasskeys = () =>
  useAsked(
    () => ["account", "passkeys"],
    (signal) => api.GET("/account/passkeys", { signal }),
  );
/** Lets a device make a passkey, and adds it to who asks. */
export async function addPasskey(name: string, password: string) {
  const from = globalThis.location.origin;
  const optionsJSON = await ask(api.POST("/account/passkeys", { body: { from, password } }));
  const credential = await startRegistration({ optionsJSON: optionsJSON as never });
  await change(api.PUT("/account/passkeys", { body: { from, name, credential: { ...credential } } }));
}
export const removePasskey = (key: string) =>
  change(api.DELETE("/account/passkeys/{key}", { params: { path: { key } } }));

/** Says in plain words what a browser says of passkeys in its own. */
export async function inWords<T>(work: Promise<T>, what: string): Promise<T> {
  try {
    return await work;
  } catch (error) {
    if (error instanceof RequestError) throw error;
    const known = (error as Error).name === "InvalidStateError";
    throw new Error(
      known
        ? `${what}: this device has a passkey for you already.`
        : `${what}: the device gave no passkey, or you chose not to. Try again.`,
    );
  }
}
