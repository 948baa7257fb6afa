import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, ask, type RuleView } from "@/api/client";
import { fieldOf } from "@/features/rules/families";
import { useCatalog } from "@/queries/catalog";

export const filterNames = ["search", "family", "state", "company", "type", "reads", "writes"] as const;
export type FilterName = (typeof filterNames)[number];

/** All rules, of one kind of record or of all, as the filters in the address find them. */
export function useRuleList() {
  const catalog = useCatalog();
  const route = useRoute();
  const router = useRouter();
  const rules = ref<RuleView[]>();
  const problem = ref("");

  const kind = computed(() => (typeof route.query.kind === "string" ? route.query.kind : ""));

  async function load() {
    try {
      const kinds = kind.value ? [kind.value] : catalog.kinds.map((k) => k.kind.key);
      const lists = await Promise.all(
        kinds.map((k) => ask(api.GET("/rules", { params: { query: { kind: k } } }))),
      );
      rules.value = lists.flat();
      problem.value = "";
    } catch (error) {
      problem.value = (error as Error).message;
    }
  }

  function of(name: FilterName): string {
    const value = route.query[name];
    return typeof value === "string" ? value : "";
  }
  function set(name: FilterName | "kind", value: string) {
    // A field or a type belongs to its kind.
    const rest = name === "kind" ? { type: undefined, reads: undefined, writes: undefined } : {};
    void router.replace({ query: { ...route.query, ...rest, [name]: value || undefined } });
  }

  function clear() {
    void router.replace({ query: kind.value ? { kind: kind.value } : {} });
  }

  /** Whether a rule is for one of an axis: one that names none is for all. */
  const covers = (keys: string[] | null, key: string) => !key || !keys?.length || keys.includes(key);

  const found = computed(() => {
    const words = of("search").toLowerCase().split(/\s+/).filter(Boolean);
    return (rules.value ?? []).filter((r) => {
      const { body } = r;
      const text = [
        r.id,
        r.name,
        r.sentence,
        body.when,
        body.effect.value,
        body.effect.must,
        body.effect.message,
      ]
        .concat([body.note.why, body.note.askedBy])
        .join(" ")
        .toLowerCase();
      const writes = [body.target, fieldOf(catalog.entry(body.kind)?.kind, body)];
      return (
        words.every((w) => text.includes(w)) &&
        (!of("family") || body.family === of("family")) &&
        (!of("state") || r.state === of("state")) &&
        covers(body.scope.companies, of("company")) &&
        covers(body.scope.types, of("type")) &&
        (!of("reads") || (r.reads ?? []).includes(of("reads"))) &&
        (!of("writes") || writes.includes(of("writes")))
      );
    });
  });

  return { rules, kind, problem, load, of, set, clear, found };
}
