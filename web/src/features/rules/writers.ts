import { computed } from "vue";
import { api, type RuleView } from "@/api/client";
import { useCatalog } from "@/queries/catalog";
import { useAsked } from "@/queries/client";
import { format } from "@/queries/format";
import { useFollowOns } from "@/queries/tables";

/** What writes a field besides the rules on it: follow-ups of other records, and maps from record to record. */
export function useOtherWriters(kind: () => string, field: () => string) {
  const catalog = useCatalog();
  const maps = useFollowOns();
  const all = useAsked(
    () => (kind() && field() ? ["rules", "", { ...format }] : undefined),
    (signal) => api.GET("/rules", { params: { query: {} }, signal }),
  );

  /** Whether a follow-up writes the field: its target is a link to the kind, a dot and the field. */
  function writes(r: RuleView): boolean {
    const dot = r.body.target.lastIndexOf(".");
    const link = catalog.entry(r.body.kind)?.kind.fields.find((f) => f.key === r.body.target.slice(0, dot));
    return link?.kind === kind() && r.body.target.slice(dot + 1) === field();
  }

  const followUps = computed(() =>
    field() ? (all.data ?? []).filter((r) => r.body.family === "follow-up" && writes(r)) : [],
  );
  const carried = computed(() =>
    field()
      ? (maps.data ?? [])
          .filter((m) => m.to === kind() && m.pairs?.some((p) => p.to === field()))
          .map((m) => ({ id: m.id, name: m.name, from: m.pairs!.find((p) => p.to === field())!.from ?? "" }))
      : [],
  );
  return { followUps, carried };
}
