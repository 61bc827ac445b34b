import { totalmem } from "node:os";
import { getHeapStatistics } from "node:v8";
import { OperatorError } from "../../core/model/failure.ts";

/** How often it looks. */
const LOOK_MS = 250;
/** The share of the machine's memory, or of its container's, that a run may take. */
const MOST_SHARE = 0.75;
const MOST_BYTES = 8_000_000_000;
/** Beyond this share of its limit the engine is about to end the program without a word. */
const MOST_HEAP = 0.95;

/** What a run may take on this machine, or in its container, in bytes. */
function decideMost(): number {
  const contained = process.constrainedMemory();
  const all = contained > 0 ? Math.min(contained, totalmem()) : totalmem();
  return Math.min(MOST_BYTES, all * MOST_SHARE);
}

/**
 * Watches what this process takes, whatever takes it: each answer and each file has bounds of its own, and this one ends a
 * run that eats the machine all the same.
 * @param onTooMuch is told once
 * @returns ends the watch
 */
export function watchMemory(onTooMuch: (error: OperatorError) => void, most = decideMost()): () => void {
  const clock = setInterval(() => {
    const { rss, heapUsed } = process.memoryUsage();
    if (rss < most && heapUsed < getHeapStatistics().heap_size_limit * MOST_HEAP) return;
    clearInterval(clock);
    onTooMuch(new OperatorError("out-of-memory", { megabytes: Math.round(rss / 1e6) }));
  }, LOOK_MS);
  clock.unref();
  return () => {
    clearInterval(clock);
  };
}
