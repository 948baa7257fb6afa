import { describe, expect, it } from "vitest";
import { differing } from "@/queries/duplicates";

describe("what differs in two texts", () => {
  it.each([
    ["Tidewater Services", "Tidewater Service Ltd", ["Tidewater Service", "s", ""]],
    ["Silvretta Glas", "Silvretta Gas", ["Silvretta G", "l", "as"]],
    ["same", "same", ["same", "", ""]],
    ["", "blank", ["", "", ""]],
    ["aa", "aaa", ["aa", "", ""]],
    ["1000.00", "9000.00", ["", "1", "000.00"]],
  ])("%s beside %s", (text, other, parts) => {
    expect(differing(text, other)).toEqual(parts);
    expect(differing(text, other).join("")).toBe(text);
  });
});
