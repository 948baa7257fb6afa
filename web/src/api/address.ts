const prefix = "lines.";

export function ofLine(key: string): boolean {
  return key.startsWith(prefix);
}

/** The key of a field of the lines within its line: lines.amount is amount there. */
export function column(key: string): string {
  return ofLine(key) ? key.slice(prefix.length) : key;
}

/** Names a field of a document: country, or lines.2.amount in the line with the number 2. */
export function addressOf(key: string, line: number): string {
  return ofLine(key) ? `${prefix}${line}.${column(key)}` : key;
}

/** The field and the line that an address names; line 0 is the header. */
export function parseAddress(address: string): { key: string; line: number } {
  const parts = /^lines\.(\d+)\.(.+)$/.exec(address);
  return parts ? { key: prefix + parts[2], line: Number(parts[1]) } : { key: address, line: 0 };
}

/** A key made of a name, as formulas can write it. */
export function keyOf(name: string): string {
  return name
    .toLowerCase()
    .normalize("NFD")
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[^a-z]+|_+$/g, "")
    .slice(0, 40);
}

/** Where a record is shown. Its number may hold what has a meaning in an address, like a slash. */
export function recordPlace(kind: string, number: string): string {
  return `/records/${kind}/${encodeURIComponent(number)}`;
}
