import { computed, ref, watch, type Ref } from "vue";
import { api, ask, type Confirmation, type Suggestion } from "@/api/client";
import { useAttempt } from "@/ui/attempt";
import { format } from "@/ui/format";

/** What the proofs say of one rule, and documents that would show what is missing. */
export function useConfirmation(rule: Ref<number | undefined>, changes: () => unknown) {
  const tried = useAttempt();
  const found = ref<Confirmation>();
  const suggestions = ref<Suggestion[]>();
  const accepted = ref(0);

  const path = () => ({ params: { path: { id: rule.value! } } });
  async function load() {
    const asked = rule.value;
    if (!asked) {
      found.value = undefined;
      return;
    }
    await tried.attempt(async () => {
      const answer = await ask(api.GET("/rules/{id}/confirmation", path()));
      if (rule.value === asked) found.value = answer;
    });
  }
  watch(
    [rule, changes],
    ([now], before) => {
      if (now !== before?.[0]) {
        suggestions.value = undefined;
        accepted.value = 0;
      }
      void load();
    },
    { immediate: true },
  );

  async function suggest() {
    accepted.value = 0;
    await tried.attempt(async () => {
      suggestions.value = await ask(api.POST("/rules/{id}/suggestions", { ...path(), body: { format } }));
    });
  }
  /** Keeps suggestions as proofs that somebody has yet to read. */
  async function accept(list: Suggestion[]) {
    await tried.attempt(async () => {
      for (const s of list) {
        const body = { document: s.document, name: s.name, rules: [rule.value!], unread: true };
        await ask(api.POST("/proofs", { body }));
        accepted.value++;
        suggestions.value = suggestions.value?.filter((other) => other !== s);
      }
    });
    await load();
  }
  /** Sets a wrong version aside with a reason; without one it is taken back. */
  async function setAside(change: string, reason: string) {
    await tried.attempt(async () => {
      const aside = await ask(api.POST("/rules/{id}/aside", { ...path(), body: { change, reason } }));
      const strength = found.value?.strength;
      if (found.value && strength) found.value = { ...found.value, strength: { ...strength, aside } };
    });
  }
  function skip(s: Suggestion) {
    suggestions.value = suggestions.value?.filter((other) => other !== s);
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
  return {
    ...tried,
    found,
    suggestions,
    accepted,
    missing,
    complete,
    aside,
    open,
    setAside,
    load,
    suggest,
    accept,
    skip,
  };
}
