import { useCatalog } from "@/queries/catalog";
import type { Batch } from "@/queries/batches";
import { useList, type List } from "@/ui/list";

/** What a batch is called that agrees with what was announced, and what any other is. */
export const batchState = (b: Batch) => (b.agrees && b.state === "open" ? "agrees" : b.state);

/** Batches with how far they are, as a list. */
export function useBatchList(batches: () => Batch[]): List<Batch> {
  const catalog = useCatalog();
  return useList<Batch>(batches, () => [
    { label: "Batch", value: (b) => b.head.title },
    { label: "Of", value: (b) => catalog.entry(b.kind)?.kind.plural ?? b.kind },
    { label: "Type", fileOnly: true, value: (b) => b.type },
    { label: "Company", fileOnly: true, value: (b) => b.company },
    { label: "State", value: batchState },
    { label: "Keyed", right: true, value: (b) => b.number },
    { label: "Announced documents", fileOnly: true, value: (b) => b.head.count || "" },
    { label: "Total", right: true, value: (b) => ({ exact: b.keyed.value }) },
    { label: "Difference", right: true, value: (b) => ({ exact: b.difference.value }) },
    { label: "Announced", value: (b) => b.made.at },
    { label: "By", fileOnly: true, value: (b) => b.made.by },
  ]);
}
