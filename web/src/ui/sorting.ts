import { computed, reactive, ref } from "vue";

export interface Sorting<Row> {
  /** The column by which the rows are sorted; "": as they came. */
  by: string;
  down: boolean;
  rows: Row[];
  /** Sorts by a column; by the same once more the other way round, and then as they came. */
  toggle: (column: string) => void;
}

const inOrder = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });

/** Rows in the order that a person chooses. values says what a column is sorted by; rows without a value come last. */
export function useSorting<Row>(
  rows: () => Row[],
  values: Record<string, (row: Row) => string | number | undefined>,
): Sorting<Row> {
  const by = ref("");
  const down = ref(false);
  const sorted = computed(() => {
    const value = values[by.value];
    if (!value) return rows();
    const sign = down.value ? -1 : 1;
    return rows()
      .map((row, place) => ({ row, place, value: value(row) ?? "" }))
      .sort((a, b) => {
        if (a.value === "" || b.value === "") return Number(a.value === "") - Number(b.value === "");
        const order =
          typeof a.value === "number" && typeof b.value === "number"
            ? a.value - b.value
            : inOrder.compare(String(a.value), String(b.value));
        return sign * order || a.place - b.place;
      })
      .map((r) => r.row);
  });
  function toggle(column: string) {
    if (by.value !== column) {
      by.value = column;
      down.value = false;
    } else if (!down.value) down.value = true;
    else {
      by.value = "";
      down.value = false;
    }
  }
  return reactive({ by, down, rows: sorted, toggle }) as Sorting<Row>;
}
