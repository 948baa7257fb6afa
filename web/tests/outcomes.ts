import type { FieldOutcome } from "@/api/client";

/** A field of an outcome that came out as the value at every station. */
export function outcomeOf(key: string, final = "", more: Partial<FieldOutcome> = {}): FieldOutcome {
  const shown = { value: final, text: final };
  return {
    key,
    entered: shown,
    sourced: shown,
    defaulted: shown,
    computed: shown,
    substituted: shown,
    final: shown,
    made: "",
    acts: [],
    ...more,
  };
}
