/** Milliseconds of processor time: other work of the machine does not count. The best of two. */
export function costOf(run: () => unknown): number {
  const costs = [1, 2].map(() => {
    const before = process.cpuUsage();
    run();
    const { user, system } = process.cpuUsage(before);
    return (user + system) / 1000;
  });
  return Math.min(...costs);
}
