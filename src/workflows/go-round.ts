import type { CheckupResult } from "../results/checkup.ts";
import type { Clock } from "../ports/clock.ts";

export interface RoundOptions {
  readonly clock: Clock;
  /** For how long at most; 0: one round. */
  readonly seconds: number;
  /** Is told which links are waited for, and how many seconds are left. */
  readonly onWait: (links: readonly string[], left: number) => void;
}

/** The pause between two rounds. */
const PAUSE_MS = 10_000;

/** Looks again and again until every link holds, or the time is over. @returns the last look */
export async function goRound(
  look: () => Promise<CheckupResult>,
  { clock, seconds, onWait }: RoundOptions,
): Promise<CheckupResult> {
  const until = clock.monotonicMs() + seconds * 1000;
  for (;;) {
    const result = await look();
    const waits = listWaits(result);
    const leftMs = until - clock.monotonicMs();
    if (waits.length === 0 || leftMs <= 0) return result;
    onWait(waits, Math.ceil(leftMs / 1000));
    await clock.sleep(Math.min(PAUSE_MS, leftMs));
  }
}

/** Links that may hold later: broken ones, and what is on its way. */
export const listWaits = ({ links }: CheckupResult): string[] =>
  links
    .filter(({ state, cause }) => state === "broken" || cause === "being-deployed")
    .map(({ link }) => link);

/** Whether a link is broken. */
export const isBroken = ({ links }: CheckupResult): boolean => links.some(({ state }) => state === "broken");
