/** What of a rule is still on its way into it: a value or a condition that the server reads as a formula. */
const under = new Set<Promise<unknown>>();

/** Notes that something of the open rule is being read. */
export function writing<T>(work: Promise<T>): Promise<T> {
  under.add(work);
  const done = () => under.delete(work);
  void work.then(done, done);
  return work;
}

/** Waits until all that was typed into the open rule stands in it. */
export async function written(): Promise<void> {
  while (under.size) await Promise.allSettled([...under]);
}
