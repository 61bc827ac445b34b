/** Milliseconds before the end of credentials when new ones are asked for. */
const EARLY_MS = 300_000;
/** And how long a failure counts, so that not each request asks again. */
export const FAILURE_KEPT_MS = 10_000;
const LEAST_MS = 1000;

/**
 * When credentials are asked for anew. Those that are given with less than ten minutes left are used for half of their time:
 * whoever gives them may give the same ones until their very end.
 * @param endMs when they end, milliseconds since 1970; Infinity: never
 */
export const toRenewalMs = (endMs: number, nowMs: number): number =>
  Math.max(nowMs + LEAST_MS, endMs - Math.min(EARLY_MS, (endMs - nowMs) / 2));

interface Ending {
  readonly expiration?: Date | undefined;
}

/**
 * Credentials that are fetched once, and again shortly before they end; those that ask meanwhile wait for the same. Where a
 * renewal fails, those that are there are used up to their end.
 */
export function keepCredentials<Facts extends readonly unknown[], T extends Ending>(
  find: (...facts: Facts) => Promise<T>,
  nowMs: () => number = Date.now,
): (...facts: Facts) => Promise<T> {
  let kept: { readonly credentials: T; readonly endMs: number; untilMs: number } | undefined;
  let search: Promise<T> | undefined;
  return async (...facts) => {
    if (kept && nowMs() < kept.untilMs) return kept.credentials;
    search ??= find(...facts).finally(() => (search = undefined));
    try {
      const credentials = await search;
      const endMs = credentials.expiration?.getTime() ?? Infinity;
      kept = { credentials, endMs, untilMs: toRenewalMs(endMs, nowMs()) };
    } catch (error) {
      if (!kept || nowMs() >= kept.endMs) throw error;
      kept.untilMs = Math.min(kept.endMs, nowMs() + FAILURE_KEPT_MS);
    }
    return kept.credentials;
  };
}
