import { open, rm, stat } from "node:fs/promises";

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
export async function withLock<T>(path: string, task: () => Promise<T>, waiting = REALLY): Promise<T> {
  await take(path, waiting);
  try {
    return await task();
  } finally {
    await rm(path, { force: true });
  }
}

async function take(path: string, { nowMs, sleep }: Waiting): Promise<void> {
  let seen: { readonly ino: number; readonly sinceMs: number } | undefined;
  for (;;) {
    try {
      await (await open(path, "wx")).close();
      return;
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
    }
    const facts = await stat(path).catch(() => undefined);
    const now = nowMs();
    // Its age is watched, not read off two clocks that may differ.
    if (facts && facts.ino !== seen?.ino) seen = { ino: facts.ino, sinceMs: now };
    if (facts && seen && now - seen.sinceMs > STALE_MS) await rm(path, { force: true });
    await sleep(WAIT_MS);
  }
}
