import texts from "./notices.json";

/** What the server tells, by a stable code, with the parameters its text is made from. */
export interface Told {
  code: string;
  variant?: string;
  params?: Record<string, string>;
}

/**
 * The text of what the server tells, from the catalogue of texts; otherwise, where the catalogue has none
 * or a parameter is missing, the text that the server sent along.
 */
export function textOf(told: Told, sent: string): string {
  const text = (texts as Record<string, string>)[told.variant ? `${told.code}.${told.variant}` : told.code];
  if (text === undefined) return sent;
  let complete = true;
  const written = text.replace(/\{([a-z]\w*)(:q)?\}/g, (_, name: string, quoted?: string) => {
    const value = told.params?.[name];
    if (value === undefined) complete = false;
    return quoted ? JSON.stringify(value ?? "") : (value ?? "");
  });
  return complete ? written : sent;
}
