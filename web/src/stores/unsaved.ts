import type { Document } from "@/api/client";

/** Records that were left before they were saved, by address, so that nothing typed is lost. */
export const unsaved = new Map<string, Document>();
