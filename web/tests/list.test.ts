import { describe, expect, it } from "vitest";
import { reactive } from "vue";
import { compareExact } from "@/ui/sorting";
import { useList } from "@/ui/list";

describe("a list", () => {
  const rows = [
    { name: "Quay", balance: "10.5" },
    { name: "Apron", balance: "-3" },
    { name: "Berth 10", balance: "" },
    { name: "Berth 9", balance: "90071992547409931.02" },
  ];
  const list = useList<(typeof rows)[number]>(
    () => rows,
    () => [
      { label: "Name", value: (r) => r.name },
      { label: "Balance", right: true, value: (r) => ({ exact: r.balance }) },
    ],
  );
  const names = () => list.rows.map((r) => r.name);

  it("is sorted by a column, the other way round, and as it came", () => {
    list.sorting.toggle("Name");
    expect(names()).toEqual(["Apron", "Berth 9", "Berth 10", "Quay"]);
    list.sorting.toggle("Name");
    expect(names()).toEqual(["Quay", "Berth 10", "Berth 9", "Apron"]);
    list.sorting.toggle("Name");
    expect(names()).toEqual(rows.map((r) => r.name));
  });

  it("sorts amounts by all their digits, and what has none comes last", () => {
    list.sorting.toggle("Balance");
    expect(names()).toEqual(["Apron", "Quay", "Berth 9", "Berth 10"]);
    list.sorting.toggle("Balance");
    expect(names()).toEqual(["Berth 9", "Quay", "Apron", "Berth 10"]);
  });

  it("is exported as it is shown, numbers with all their digits", () => {
    expect(list.sheet()[0]).toEqual([{ text: "Berth 9" }, { text: "90071992547409931.02", exact: true }]);
  });

  it("follows columns that are called otherwise", () => {
    const head = reactive({ label: "One" });
    const other = useList<string>(
      () => ["b", "a"],
      () => [{ label: head.label, value: (r) => r }],
    );
    head.label = "Other";
    other.sorting.toggle("Other");
    expect(other.rows).toEqual(["a", "b"]);
  });
});

describe("exact numbers", () => {
  it.each([
    ["1", "1.0", 0],
    ["0.1", "0.09", 1],
    ["-0.1", "-0.09", -1],
    ["100", "99.999", 1],
    ["-100", "5", -1],
    ["007", "7", 0],
    ["12345678901234567890.1", "12345678901234567890.2", -1],
  ])("%s beside %s", (a, b, order) => {
    expect(Math.sign(compareExact(a, b))).toBe(order);
    expect(Math.sign(compareExact(b, a))).toBe(order ? -order : 0);
  });
});
