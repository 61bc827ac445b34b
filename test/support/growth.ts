/** A measurement that something disturbed is made again, so many times at most. */
const ROUNDS = 6;

/** Milliseconds of processor time: other work of the machine does not count, but slows it down. */
function costOf(run: () => unknown): number {
  const before = process.cpuUsage();
  run();
  const { user, system } = process.cpuUsage(before);
  return (user + system) / 1000;
}

interface Bounds {
  /** Below this the compiler and the garbage collector say more than what is measured. */
  readonly leastMs: number;
  /** Once the growth is below this, it is not measured again. */
  readonly below: number;
}

/**
 * How the cost of something grows from a size to eight times that size. Whatever disturbs makes a run dearer and never
 * cheaper, so the cheapest runs of each size are compared.
 * @param prepare makes everything ready for a size; only what it returns is measured
 * @returns 1 where it grows as the size does, 2 where it grows by the square
 */
export function growthOf(
  prepare: (size: number) => () => unknown,
  size: number,
  { leastMs, below }: Bounds,
): number {
  const [small, large] = [prepare(size), prepare(size * 8)];
  let [from, to, growth] = [Infinity, Infinity, Infinity];
  for (let round = 0; round < ROUNDS && growth >= below; round++) {
    // The first of them still waits for the compiler.
    for (let turn = 0; turn < 3; turn++) from = Math.min(from, costOf(small));
    to = Math.min(to, costOf(large));
    growth = Math.log2(to / Math.max(from, leastMs)) / 3;
  }
  return growth;
}
