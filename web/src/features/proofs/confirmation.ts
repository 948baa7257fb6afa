import { computed, reactive, ref, toRef, watch } from "vue";
import { api, ask, type Suggestion } from "@/api/client";
import { change, useAsked } from "@/queries/client";
import { useAttempt } from "@/queries/attempt";
import { format } from "@/queries/format";

/** What the proofs say of one rule. */
export function useConfirmation(rule: () => number, version: () => number) {
  const asked = useAsked(
    () => ["confirmation", "rule", rule(), version(), { ...format }],
    (signal) => api.GET("/rules/{id}/confirmation", { params: { path: { id: rule() } }, signal }),
    { keep: true },
  );
  const found = computed(() => (asked.data?.rule === rule() ? asked.data : undefined));
  const tried = useAttempt();

  /** Sets a wrong version aside with a reason; without one it is taken back. */
  function setAside(wrong: string, reason: string) {
    const params = { path: { id: rule() } };
    const body = { change: wrong, reason };
    return tried.attempt(() => change(api.POST("/rules/{id}/aside", { params, body })));
  }

  const aside = computed(() => found.value?.strength?.aside ?? []);
  /** What no proof notices and nobody has set aside. */
  const open = computed(() => {
    const set = new Set(aside.value.map((a) => a.change));
    return (found.value?.strength?.unnoticed ?? []).filter((u) => !set.has(u));
  });
  const missing = computed(() => found.value?.goals.filter((g) => !g.proofs.length) ?? []);
  const complete = computed(
    () => !!found.value && !missing.value.length && !found.value.strength?.unnoticed.length,
  );

  return reactive({
    found,
    problem: computed(() => asked.problem),
    reload: asked.reload,
    trouble: toRef(tried, "trouble"),
    busy: toRef(tried, "busy"),
    missing,
    complete,
    aside,
    open,
    setAside,
  });
}

/** Documents that would show what the proofs of a rule do not show yet. */
export function useSuggestions(rule: () => number) {
  const tried = useAttempt();
  const list = ref<Suggestion[]>();
  const accepted = ref(0);
  watch(rule, () => {
    list.value = undefined;
    accepted.value = 0;
  });

  async function suggest() {
    accepted.value = 0;
    await tried.attempt(async () => {
      const params = { path: { id: rule() } };
      list.value = await ask(api.POST("/rules/{id}/suggestions", { params, body: { format } }));
    });
  }
  /** Keeps suggestions as proofs that somebody has yet to read. */
  async function accept(chosen: Suggestion[]) {
    await tried.attempt(async () => {
      for (const s of chosen) {
        const body = { document: s.document, name: s.name, rules: [rule()], unread: true };
        const kept = api.POST("/proofs", { body });
        // What is shown is asked for anew once, with the last.
        await (s === chosen.at(-1) ? change(kept) : ask(kept));
        accepted.value++;
        skip(s);
      }
    });
  }
  function skip(s: Suggestion) {
    list.value = list.value?.filter((other) => other !== s);
  }

  return reactive({
    list,
    accepted,
    trouble: toRef(tried, "trouble"),
    busy: toRef(tried, "busy"),
    suggest,
    accept,
    skip,
  });
}
