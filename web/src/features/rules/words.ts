import { defineStore } from "pinia";
import { reactive, ref, watch } from "vue";
import { api, ask, type FunctionHelp, type Name, type Relation, type Schemas } from "@/api/client";
import { useCatalog } from "@/queries/catalog";

/** The names that rules may use, by the field that they are on, and the functions of the formula language. */
export const useWords = defineStore("words", () => {
  const catalog = useCatalog();
  const byTarget = reactive(new Map<string, Schemas["Names"]>());
  const functions = ref<FunctionHelp[]>([]);
  const asked = new Set<string>();

  watch(
    () => catalog.catalog,
    () => {
      byTarget.clear(); // fields may have come or gone
      asked.clear();
    },
  );

  function names(kind: string, target: string): Schemas["Names"] | undefined {
    const key = `${kind}/${target}`;
    const known = byTarget.get(key);
    if (!known && kind && target && !asked.has(key)) {
      asked.add(key);
      void ask(api.GET("/names", { params: { query: { kind, target } } }))
        .then((found) => byTarget.set(key, found))
        .catch(() => asked.delete(key)); // asked again at the next look
    }
    return known;
  }

  function loadFunctions() {
    if (functions.value.length) return;
    void ask(api.GET("/functions"))
      .then((found) => (functions.value = found))
      .catch(() => undefined);
  }

  function name(kind: string, target: string, text: string): Name | undefined {
    return names(kind, target)?.names.find((n) => n.name === text);
  }

  function relations(kind: string, target: string, text: string): Relation[] {
    const found = name(kind, target, text);
    return (found && names(kind, target)?.relations[found.fieldType]) ?? [];
  }

  return { names, name, relations, functions, loadFunctions };
});
