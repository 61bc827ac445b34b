/**
 * Runs a task for each item, at most `width` side by side, in the order of the items.
 * The first failure stops new tasks from starting; those in flight end before it is thrown.
 */
export async function runPool<T>(
  items: readonly T[],
  width: number,
  task: (item: T) => Promise<void>,
): Promise<void> {
  let next = 0;
  let failed = false;
  let failure: unknown;
  const work = async (): Promise<void> => {
    while (next < items.length && !failed) {
      const item = items[next++] as T;
      try {
        await task(item);
      } catch (error) {
        if (!failed) failure = error;
        failed = true;
      }
    }
  };
  await Promise.all(Array.from({ length: Math.min(width, items.length) }, work));
  if (failed) throw failure;
}
