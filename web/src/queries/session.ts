import { browserSupportsWebAuthn, startAuthentication } from "@simplewebauthn/browser";
import { useBroadcastChannel } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { api, ask, signIns, type Schemas } from "@/api/client";
import { queryClient, renew, useAsked } from "@/queries/client";

export type SessionState = Schemas["SessionState"];

/** Whether this browser can hold passkeys for this server, which must be open by a name for that. */
export const holdsPasskeys = () =>
  browserSupportsWebAuthn() && !/^[\d.]+$|^\[/.test(globalThis.location.hostname);

/** Where, in this tab, it is kept to which page one goes after signing in with the provider. */
const returnKey = "codicil-return";

/** Who is signed in, and what they may do. */
export const useSession = defineStore("session", () => {
  const asked = useAsked(
    () => ["session"],
    (signal) => api.GET("/session", { signal }),
    { lasting: true },
  );
  const state = computed(() => asked.data);
  /** Waits until it is known who is signed in, or cannot be known. */
  async function known() {
    await queryClient
      .getQueryCache()
      .find({ queryKey: ["session"] })
      ?.promise?.catch(() => undefined);
  }
  const person = computed(() => state.value?.person);
  /** The language in which the person reads what is not ours to write, such as names of countries. */
  const language = computed(() => person.value?.language || navigator.language);
  /** The session has ended while somebody was at work: what they typed is still there. */
  const expired = ref(false);
  watch(
    () => signIns.needed,
    () => {
      if (person.value) expired.value = true;
    },
  );

  /** Whether the person may do something for a kind of record, or for any at all. Until it is known, nothing is taken away. */
  function may(permission: string, kind?: string): boolean {
    if (!state.value) return true;
    const held = state.value.permissions.find((p) => p.key === permission);
    return !!held && (!kind || !held.kinds.length || held.kinds.includes(kind));
  }
  /** Whether the person may change what holds in all companies. */
  const everywhere = computed(() => state.value?.everywhere ?? true);

  /** Takes a new session in. Where another person than before has signed in, the page is drawn anew. */
  async function enter(request: Promise<{ data?: SessionState; error?: unknown; response: Response }>) {
    const before = person.value?.id;
    const next = await ask(request);
    if (before && before !== next.person?.id) return begin("/");
    expired.value = false;
    queryClient.setQueryData(["session"], next);
    renew();
    signIns.done++;
  }
  /** Somebody has signed in in another tab of this browser. */
  const told = useBroadcastChannel<string, string>({ name: "codicil-session" });
  watch(told.data, () => {
    if (expired.value || !person.value) void enter(api.GET("/session"));
  });
  /** Leaves nothing of the person before on the screen. */
  function begin(path: string) {
    queryClient.clear();
    globalThis.location.assign(path);
  }

  const signIn = (body: Schemas["SignIn"]) => enter(api.POST("/session", { body }));
  const setUp = (body: Schemas["FirstPerson"]) => enter(api.POST("/session/first", { body }));
  const setPassword = (body: Schemas["WordGiven"]) => enter(api.POST("/session/word", { body }));
  const changePassword = (body: Schemas["PasswordChange"]) => enter(api.PUT("/account/password", { body }));
  /** Signs in with a passkey, which the browser lets one choose. */
  async function byPasskey() {
    const from = globalThis.location.origin;
    const optionsJSON = await ask(api.POST("/session/passkey", { body: { from } }));
    const credential = await startAuthentication({ optionsJSON: optionsJSON as never });
    await enter(api.POST("/session/passkey/finish", { body: { from, credential: { ...credential } } }));
  }
  /** Sends the browser to the provider of sign-ins: in a tab of its own where what is on this page must stay. */
  async function toProvider(path: string, staying: boolean) {
    const going = await ask(api.POST("/session/provider", { body: { from: globalThis.location.origin } }));
    sessionStorage.setItem(returnKey, path);
    if (staying) globalThis.open(going.address, "_blank");
    else globalThis.location.assign(going.address);
  }
  async function finishProvider(code: string, state: string) {
    await ask(
      api.POST("/session/provider/finish", { body: { from: globalThis.location.origin, code, state } }),
    );
    told.post("signed in");
    queryClient.clear();
    const path = sessionStorage.getItem(returnKey) ?? "/";
    sessionStorage.removeItem(returnKey);
    globalThis.location.replace(/^\/(?!\/)/.test(path) ? path : "/");
  }
  async function become(id: string) {
    await ask(api.POST("/session/guest", { body: { person: id } }));
    begin("/");
  }
  async function signOut() {
    await ask(api.DELETE("/session"));
    begin("/");
  }

  return {
    state,
    known,
    problem: computed(() => asked.problem),
    reload: asked.reload,
    person,
    language,
    expired,
    everywhere,
    may,
    signIn,
    setUp,
    setPassword,
    changePassword,
    byPasskey,
    toProvider,
    finishProvider,
    become,
    signOut,
  };
});
