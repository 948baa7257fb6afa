import { describe, expect, it } from "vitest";
import { dayInWords, formatOf, inSentence } from "@/queries/format";

describe("how a locale writes numbers and dates", () => {
  it.each([
    ["en-IE", { decimal: ".", group: ",", date: "dmy", separator: "/" }],
    ["en-US", { decimal: ".", group: ",", date: "mdy", separator: "/" }],
    ["de-DE", { decimal: ",", group: ".", date: "dmy", separator: "." }],
    ["da-DK", { decimal: ",", group: ".", date: "dmy", separator: "." }],
    ["ja-JP", { decimal: ".", group: ",", date: "ymd", separator: "/" }],
    ["de-CH", { decimal: ".", group: expect.stringMatching(/['’]/), date: "dmy", separator: "." }],
    ["sv-SE", { decimal: ",", group: "\u00a0", date: "ymd", separator: "-" }],
  ])("%s", (locale, format) => {
    expect(formatOf(locale)).toEqual(format);
  });

  it("leaves alone what is no day", () => {
    expect(dayInWords("soon")).toBe("soon");
    expect(dayInWords("2026-11-24")).toContain("2026");
  });
});

it("writes a name within a sentence, but not an abbreviation", () => {
  expect(inSentence("Vendor group")).toBe("vendor group");
  expect(inSentence("G/L account")).toBe("G/L account");
  expect(inSentence(undefined)).toBeUndefined();
});
