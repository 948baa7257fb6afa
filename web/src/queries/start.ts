import { api, type Schemas } from "@/api/client";
import { ask } from "@/api/client";
import { change } from "@/queries/client";

export type KindGuess = Schemas["KindGuess"];
export type BookChange = Schemas["BookChange"];

const octets = { "Content-Type": "application/octet-stream" };

/**
 * What kind of record a spreadsheet holds. Nothing is kept. by is the column whose value the rows of one record share; "": each row is
 * a record; missing: it is found out.
 */
export const guessKind = (file: Blob, name: string, by?: string) =>
  ask(
    api.POST("/kinds/guess", {
      params: { query: { name, ...(by === "" ? { each: true } : { by }) } },
      headers: octets,
      body: file as unknown as string,
      bodySerializer: (body) => body,
    }),
  );

/** Reads a rule book; without keep it only tells what would change. */
export function readBook(file: Blob, keep: boolean) {
  const asked = api.POST("/books", {
    params: { query: { keep } },
    headers: octets,
    body: file as unknown as string,
    bodySerializer: (body) => body,
  });
  return keep ? change(asked) : ask(asked);
}

/** Starts the demo beside the application; it has another name, so that both can be signed in to. */
export async function demoBeside(): Promise<string> {
  const { url } = await ask(api.POST("/demo"));
  const at = new URL(url);
  at.hostname = globalThis.location.hostname === "localhost" ? "127.0.0.1" : "localhost";
  return at.href;
}
