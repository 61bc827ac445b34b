/** When a failed call is tried again. */
export interface RetryPolicy {
  /** Tries in all. */
  readonly tries: number;
  readonly baseMs: number;
  readonly capMs: number;
}

export const DEFAULT_RETRIES: RetryPolicy = { tries: 6, baseMs: 200, capMs: 10_000 };

/** Calls that found nobody to talk to fail sooner: a store that is not running should be said, not waited for. */
export const UNREACHABLE_TRIES = 4;

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
  askedMs: number | undefined = undefined,
): number | undefined {
  if (tried >= policy.tries) return undefined;
  const ceiling = Math.min(policy.capMs, policy.baseMs * 2 ** (tried - 1));
  return Math.max(Math.round(random * ceiling), askedMs ?? 0);
}
