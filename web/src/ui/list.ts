import { computed, reactive } from "vue";
import type { Schemas } from "@/api/client";
import { useSorting, type Sorting, type SortValue } from "@/ui/sorting";

/** A column of a list: what it is called, and what a row has in it, to be sorted and exported by. */
export interface ListColumn<Row> {
  label: string;
  right?: boolean;
  value: (row: Row) => SortValue;
  /** Stands in the file only. */
  fileOnly?: boolean;
  /** The class of its head. */
  head?: string;
}

export interface List<Row> {
  rows: Row[];
  columns: ListColumn<Row>[];
  sorting: Sorting<Row>;
  /** The rows as they are shown, for a file. */
  sheet: () => Schemas["SheetCell"][][];
}

function cell(value: SortValue): Schemas["SheetCell"] {
  if (typeof value === "object") return { text: value.exact, exact: true };
  return typeof value === "number" ? { text: String(value), exact: true } : { text: value ?? "" };
}

/** A list of rows that is sorted by any of its columns, and exported as it is shown. */
export function useList<Row>(rows: () => Row[], columns: () => ListColumn<Row>[]): List<Row> {
  const values = computed(() => Object.fromEntries(columns().map((c) => [c.label, c.value])));
  const sorting = useSorting<Row>(rows, () => values.value);
  return reactive({
    rows: computed(() => sorting.rows),
    columns: computed(columns),
    sorting,
    sheet: () => sorting.rows.map((row) => columns().map((c) => cell(c.value(row)))),
  }) as List<Row>;
}
