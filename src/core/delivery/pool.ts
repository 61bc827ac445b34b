/**
 * Runs a task for each item in the order of the items, at most `widthOf()` side by side; that is asked anew whenever a task
 * ends. The first failure stops new tasks from starting; those in flight end before it is thrown.
 */
export async function runPool<T>(
  items: readonly T[],
  widthOf: () => number,
  task: (item: T) => Promise<void>,
): Promise<void> {
  const failures: unknown[] = [];
  const running = new Set<Promise<void>>();
  for (const item of items) {
    while (running.size >= Math.max(1, widthOf()) && failures.length === 0) await Promise.race(running);
    if (failures.length > 0) break;
    const ended = task(item)
      .catch((error: unknown) => {
        failures.push(error);
      })
      .finally(() => {
        running.delete(ended);
      });
    running.add(ended);
  }
  await Promise.all(running);
  if (failures.length > 0) throw failures[0];
}
