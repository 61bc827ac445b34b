import { codeOf, IN_USE, remove, systemDisk, type Disk } from "./disk.ts";

/** A lock that old was left by a process that died: what it guards takes milliseconds. */
const STALE_MS = 10_000;
const WAIT_MS = 20;

/** How time passes for somebody who waits; tests have their own. */
interface Waiting {
  readonly nowMs: () => number;
  readonly sleep: (ms: number) => Promise<unknown>;
}

const REALLY: Waiting = {
  nowMs: () => performance.now(),
  sleep: (ms) => new Promise((done) => setTimeout(done, ms)),
};

/** Does something while no other process does: a file that only one can create. */
export async function withLock<T>(
  path: string,
  task: () => Promise<T>,
  disk: Disk = systemDisk,
  waiting = REALLY,
): Promise<T> {
  await take(path, disk, waiting);
  try {
    return await task();
  } finally {
    await remove(disk, path);
  }
}

async function take(path: string, disk: Disk, { nowMs, sleep }: Waiting): Promise<void> {
  const began = nowMs();
  let seen: { readonly ino: number; readonly sinceMs: number } | undefined;
  for (;;) {
    try {
      await (await disk.open(path, "wx")).close();
      return;
    } catch (error) {
      // One that was removed is not gone while somebody looks at it.
      const isGoing = disk.platform === "win32" && IN_USE.has(codeOf(error)) && nowMs() - began < STALE_MS;
      if (codeOf(error) !== "EEXIST" && !isGoing) throw error;
    }
    const facts = await disk.stat(path).catch(() => undefined);
    const now = nowMs();
    // Its age is watched, not read off two clocks that may differ.
    if (facts && facts.ino !== seen?.ino) seen = { ino: facts.ino, sinceMs: now };
    if (facts && seen && now - seen.sinceMs > STALE_MS) await remove(disk, path);
    await sleep(WAIT_MS);
  }
}
