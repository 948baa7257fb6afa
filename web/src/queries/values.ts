import { reactive } from "vue";
import { api, ask, type Field } from "@/api/client";
import { format } from "@/queries/format";

/**
 * Values of tables as a person reads and types them. The server reads and writes them; what it
 * wrote is kept here, and all that is asked for at once is asked in one go.
 */
const texts = reactive(new Map<string, string>());
let waiting: { field: Field; text: string }[] = [];
let reading: Promise<unknown> = Promise.resolve();

const plain = (field: Field) => field.type === "text" || field.type === "link";
const name = (field: Field, value: string) => `${field.type}/${field.decimals ?? ""}/${value}`;

/** The value as the person reads it; until the server has written it, as it is kept. */
export function shown(field: Field, value: string): string {
  if (!value || plain(field)) return value;
  const known = texts.get(name(field, value));
  if (known !== undefined) return known;
  if (waiting.push({ field, text: value }) === 1) queueMicrotask(() => void write());
  return value;
}

async function write() {
  const asked = waiting;
  waiting = [];
  const fields = [...new Map(asked.map((a) => [name(a.field, ""), a.field])).values()];
  const place = (field: Field) => fields.findIndex((f) => name(f, "") === name(field, ""));
  const cells = asked.map((a) => ({ field: place(a.field), text: a.text, kept: true }));
  const answer = await ask(api.POST("/tables/values", { body: { fields, cells, format } })).catch(() => []);
  answer.forEach((cell, i) => texts.set(name(asked[i]!.field, asked[i]!.text), cell.text));
}

/** The value that was typed, as it is kept; what cannot be read stays as it was typed. */
export function read(field: Field, typed: string): Promise<string> {
  if (!typed || plain(field)) return Promise.resolve(typed);
  const body = { fields: [field], cells: [{ field: 0, text: typed }], format };
  const cell = ask(api.POST("/tables/values", { body })).then(
    (answer) => {
      const { value, text } = answer[0]!;
      texts.set(name(field, value), text);
      return value;
    },
    () => typed,
  );
  reading = Promise.all([reading, cell]);
  return cell;
}

/** Waits until all that was typed is read: before it is saved. */
export const allRead = () => reading;
