// Computes expressions with feelin, an interpreter of the same language by others, for the differential test of
// core/feel: one JSON object {expression, context} a line in, one {value} or {error} a line out.
import { createInterface } from "node:readline";
import { evaluate } from "feelin";

/** Dates, durations and ranges as the language writes them; functions as their kind. */
function plain(value) {
  if (value === undefined || value === null) return null;
  if (Array.isArray(value)) return value.map(plain);
  if (typeof value !== "object") return typeof value === "function" ? "function" : value;
  const kind = value.constructor?.name ?? "";
  if (kind === "FeelFunction") return "function";
  if (kind.startsWith("Feel")) return value.toString();
  return Object.fromEntries(Object.entries(value).map(([key, entry]) => [key, plain(entry)]));
}

for await (const line of createInterface({ input: process.stdin })) {
  const { expression, context } = JSON.parse(line);
  let answer;
  try {
    answer = { value: plain(evaluate(expression, context).value) };
  } catch (error) {
    answer = { error: String(error.message) };
  }
  process.stdout.write(JSON.stringify(answer) + "\n");
}
