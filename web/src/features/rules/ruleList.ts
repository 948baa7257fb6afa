import { computed, reactive } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api } from "@/api/client";
import { fieldOf } from "@/ui/families";
import { useCatalog } from "@/queries/catalog";
import { useAsked } from "@/queries/client";
import { format } from "@/queries/format";

export const filterNames = [
  "search",
  "family",
  "state",
  "company",
  "type",
  "reads",
  "writes",
  "tag",
] as const;
export type FilterName = (typeof filterNames)[number];

/** All rules, of one kind of record or of all, as the filters in the address find them. */
export function useRuleList() {
  const catalog = useCatalog();
  const route = useRoute();
  const router = useRouter();

  const kind = computed(() => (typeof route.query.kind === "string" ? route.query.kind : ""));

  const asked = useAsked(
    () => ["rules", kind.value, { ...format }],
    (signal) => api.GET("/rules", { params: { query: { kind: kind.value || undefined } }, signal }),
    { keep: true },
  );

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
    return (asked.data ?? []).filter((r) => {
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
        .concat([body.note.why, body.note.askedBy, ...(body.note.tags ?? [])])
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
        (!of("writes") || writes.includes(of("writes"))) &&
        (!of("tag") || (body.note.tags ?? []).includes(of("tag")))
      );
    });
  });

  return reactive({
    rules: computed(() => asked.data),
    problem: computed(() => asked.problem),
    reload: asked.reload,
    kind,
    of,
    set,
    clear,
    found,
  });
}
