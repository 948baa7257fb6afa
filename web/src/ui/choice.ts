/** One of the things that can be chosen. */
export interface Choice {
  value: string | number;
  label: string;
  /** What tells it from another of the same name. */
  about?: string;
  disabled?: boolean;
}

/** What can be chosen, in groups where there are many. */
export type Choices = (Choice | { value: string; label: string; options: Choice[] })[];

/** Choices of which each value is told by a label. */
export function choices(labels: Record<string, string>): Choice[] {
  return Object.entries(labels).map(([value, label]) => ({ value, label }));
}

/** Choices with one before them that stands for none. */
export function orNone(none: string, rest: Choice[]): Choice[] {
  return [{ value: "", label: none }, ...rest];
}
