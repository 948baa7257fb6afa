import { computed, reactive } from "vue";
import { api, type Relation } from "@/api/client";
import { useAsked } from "@/queries/client";

/** The names that a rule on a field may use, and how each can be compared. */
export function useNames(rule: () => { kind: string; target: string }) {
  const asked = useAsked(
    () => (rule().kind && rule().target ? ["names", rule().kind, rule().target] : undefined),
    (signal) => {
      const { kind, target } = rule();
      return api.GET("/names", { params: { query: { kind, target } }, signal });
    },
    { lasting: true },
  );
  const names = computed(() => asked.data?.names ?? []);

  function relations(name: string): Relation[] {
    const found = names.value.find((n) => n.name === name);
    return (found && asked.data?.relations[found.fieldType]) ?? [];
  }

  return reactive({ names, relations });
}

/** The functions of the formula language. */
export function useFunctions() {
  return useAsked(
    () => ["functions"],
    (signal) => api.GET("/functions", { signal }),
    { lasting: true },
  );
}
