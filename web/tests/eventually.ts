import { vi } from "vitest";

/** Waits until a check holds. The limit only ends a test that never gets there: a busy machine takes its time. */
export const eventually = (check: () => void) => vi.waitFor(check, { timeout: 60_000 });
