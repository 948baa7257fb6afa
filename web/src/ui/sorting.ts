import { computed, reactive, ref } from "vue";

export interface Sorting<Row> {
  /** The column by which the rows are sorted; "": as they came. */
  by: string;
  down: boolean;
  rows: Row[];
  /** Sorts by a column; by the same once more the other way round, and then as they came. */
  toggle: (column: string) => void;
}

/** What a row is sorted by: a text, a count, or an exact number in stored form, which is never made a float. */
export type SortValue = string | number | { exact: string } | undefined;

/** Orders exact decimals by their digits. */
export function compareExact(a: string, b: string): number {
  const parts = (text: string) => {
    const [, sign, whole, rest] = /^(-?)0*(\d*)\.?(\d*?)0*$/.exec(text) ?? [];
    return { sign: sign ? -1 : 1, whole: whole ?? "", rest: rest ?? "" };
  };
  const [x, y] = [parts(a), parts(b)];
  if (x.sign !== y.sign) return x.sign;
  const order =
    x.whole.length - y.whole.length ||
    (x.whole < y.whole ? -1 : Number(x.whole > y.whole)) ||
    (x.rest < y.rest ? -1 : Number(x.rest > y.rest));
  return x.sign * order;
}

const inOrder = new Intl.Collator(undefined, { numeric: true, sensitivity: "base" });

const isNothing = (v: SortValue) => v === undefined || v === "" || (typeof v === "object" && v.exact === "");

function compare(a: SortValue, b: SortValue): number {
  if (typeof a === "number" && typeof b === "number") return a - b;
  if (typeof a === "object" && typeof b === "object") return compareExact(a.exact, b.exact);
  return inOrder.compare(String(a), String(b));
}

/** Rows in the order that a person chooses. values says what a column is sorted by; rows without a value come last. */
export function useSorting<Row>(
  rows: () => Row[],
  values: Record<string, (row: Row) => SortValue> | (() => Record<string, (row: Row) => SortValue>),
): Sorting<Row> {
  const by = ref("");
  const down = ref(false);
  const sorted = computed(() => {
    const value = (typeof values === "function" ? values() : values)[by.value];
    if (!value) return rows();
    const sign = down.value ? -1 : 1;
    return rows()
      .map((row, place) => ({ row, place, value: value(row) ?? "" }))
      .sort((a, b) => {
        const [none, noneToo] = [isNothing(a.value), isNothing(b.value)];
        if (none || noneToo) return Number(none) - Number(noneToo);
        return sign * compare(a.value, b.value) || a.place - b.place;
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
