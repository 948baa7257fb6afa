import type { Document } from "@/api/client";

const prefix = "codicil-unsaved:";

export interface Unsaved {
  document: Document;
  /** The version of the record that was being changed; none for a new one. */
  version?: number;
}

/**
 * Records that were left before they were saved, by address, so that nothing typed is lost; they are there as
 * long as the tab is, through a reload too.
 */
export const unsaved = {
  get(path: string): Unsaved | undefined {
    const text = sessionStorage.getItem(prefix + path);
    return text ? (JSON.parse(text) as Unsaved) : undefined;
  },
  set(path: string, left: Unsaved) {
    sessionStorage.setItem(prefix + path, JSON.stringify(left));
  },
  delete(path: string) {
    sessionStorage.removeItem(prefix + path);
  },
};
