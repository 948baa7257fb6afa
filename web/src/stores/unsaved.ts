import type { Document } from "@/api/client";

const prefix = "codicil-unsaved:";

/**
 * Records that were left before they were saved, by address, so that nothing typed is lost; they are there as
 * long as the tab is, through a reload too.
 */
export const unsaved = {
  get(path: string): Document | undefined {
    const text = sessionStorage.getItem(prefix + path);
    return text ? (JSON.parse(text) as Document) : undefined;
  },
  set(path: string, document: Document) {
    sessionStorage.setItem(prefix + path, JSON.stringify(document));
  },
  delete(path: string) {
    sessionStorage.removeItem(prefix + path);
  },
};
