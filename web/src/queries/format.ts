import { reactive } from "vue";
import { person, type Schemas } from "@/api/client";

export type Format = Schemas["Format"];

/** How the user's locale writes numbers and dates, for the server to read and write them. */
export function formatOf(locale: string): Format {
  const numbers = new Intl.NumberFormat(locale, { useGrouping: true }).formatToParts(-1234567.5);
  const dates = new Intl.DateTimeFormat(locale, {
    year: "numeric",
    month: "2-digit",
    day: "2-digit",
    calendar: "gregory",
    numberingSystem: "latn",
  }).formatToParts(new Date(2026, 10, 24));
  const order = dates
    .filter((p) => p.type === "day" || p.type === "month" || p.type === "year")
    .map((p) => p.type[0])
    .join("");
  const literal = dates.find((p) => p.type === "literal")?.value.trim() ?? "-";
  return {
    decimal: numbers.find((p) => p.type === "decimal")?.value ?? ".",
    group: numbers.find((p) => p.type === "group")?.value ?? "",
    date: order === "dmy" || order === "mdy" ? order : "ymd",
    separator: [".", "/", "-"].includes(literal) ? literal : "-",
  };
}

/** How the person at work writes numbers and dates: as they chose, else as the chosen company, else their browser. */
export const format = reactive<Format>(formatOf(navigator.language));

// Sentences and values come as the person writes them; a header holds only plain characters.
person.format = () =>
  JSON.stringify(format).replace(
    /[^\x20-\x7e]/g,
    (sign) => `\\u${sign.charCodeAt(0).toString(16).padStart(4, "0")}`,
  );

export function writeAs(next?: Format) {
  Object.assign(format, next ?? formatOf(navigator.language));
}

/** A day as people read it in a sentence: 24 Nov 2026. */
export function dayInWords(day: string): string {
  const date = new Date(`${day}T12:00:00`);
  if (Number.isNaN(date.getTime())) return day;
  return date.toLocaleDateString(navigator.language, { day: "numeric", month: "short", year: "numeric" });
}

export function moment(instant: string): string {
  return new Date(instant).toLocaleString(navigator.language, { dateStyle: "medium", timeStyle: "short" });
}

/** A name as it stands within a sentence: vendor group, but G/L account. */
/** A count, with its thousands apart as the person writes them. */
export function count(n: number): string {
  return String(n).replace(/\B(?=(\d{3})+$)/g, format.group);
}

export function inSentence(name: string): string;
export function inSentence(name: string | undefined): string | undefined;
export function inSentence(name: string | undefined): string | undefined {
  if (!name) return name;
  return /^.[a-z]/.test(name) ? name[0]!.toLowerCase() + name.slice(1) : name;
}

/** A day as the person writes it; what is no day stays as it is. */
export function written(day: string): string {
  const parts = /^(\d{4})-(\d\d)-(\d\d)$/.exec(day);
  if (!parts) return day;
  const by = { y: parts[1]!, m: parts[2]!, d: parts[3]! } as Record<string, string>;
  return [...format.date].map((p) => by[p]).join(format.separator);
}
