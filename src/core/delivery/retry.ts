/** When a failed call is tried again. */
export interface RetryPolicy {
  /** Tries in all. */
  readonly tries: number;
  readonly baseMs: number;
  readonly capMs: number;
}

export const DEFAULT_RETRIES: RetryPolicy = { tries: 6, baseMs: 200, capMs: 10_000 };

/** Nobody was there to talk to; a connection that was made and broke later is another matter. */
const NOBODY_THERE = /^(ECONNREFUSED|ENOTFOUND|EAI_.*|EHOST.*|ENET.*)$/;

/**
 * How often a call is tried in all. One that found nobody to talk to fails sooner: a store that is not running should be
 * said, not waited for; still sooner one whose proxy refuses.
 * @param code the failure's own, such as `ECONNRESET`
 */
export const toTries = (code: string | undefined): number =>
  code === "EPROXY" ? 2 : NOBODY_THERE.test(code ?? "") ? 4 : DEFAULT_RETRIES.tries;

/** A store that asks for more has a fault; nobody waits a year for it. */
const MOST_ASKED_MS = 60_000;

/**
 * Milliseconds to wait before the next try, undefined to give up. Exponential back-off with full jitter; a wait that
 * the server asked for (`Retry-After`, RFC 9110 §10.2.3) is the least.
 * @param tried how many tries have failed, from 1
 * @param random from 0 to below 1
 */
export function decideWaitMs(
  policy: RetryPolicy,
  tried: number,
  random: number,
  askedMs?: number,
): number | undefined {
  if (tried >= policy.tries) return undefined;
  const ceiling = Math.min(policy.capMs, policy.baseMs * 2 ** (tried - 1));
  return Math.max(Math.round(random * ceiling), Math.min(askedMs ?? 0, MOST_ASKED_MS));
}
