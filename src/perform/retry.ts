import { decideWaitMs, DEFAULT_RETRIES, toTries } from "../core/delivery/retry.ts";
import type { Clock } from "../ports/clock.ts";
import { mapStore } from "../ports/map-store.ts";
import { StoreError, type ObjectStore, type TryAgain } from "../ports/object-store.ts";
import type { Reporter } from "../ports/reporter.ts";

export interface RetryTools {
  readonly clock: Clock;
  readonly report: Reporter;
  readonly countRetry: () => void;
  /** The store asked for less at a time. */
  readonly noteThrottled?: () => void;
  /** The same outcome, or a failure as soon as somebody stops the run; absent: nobody does. */
  readonly orStop?: <T>(work: Promise<T>) => Promise<T>;
}

const TRANSIENT = new Set(["unreachable", "throttled", "server", "conflict"]);

/** What tries one request again, for adapters that need it within a call. */
export const createRetry =
  (tools: RetryTools): TryAgain =>
  (call) =>
    retry(call, tools);

/** The same store, each call tried again where that can help: never for a refusal, a missing bucket or a failed condition. A conflict (409) is none of these: another write was under way. */
export const withRetries = (store: ObjectStore, tools: RetryTools): ObjectStore =>
  mapStore(store, { call: (_, task) => retry(task, tools), pages: (list) => retriedPages(list, tools) });

/** A list that broke off is read from its beginning: pages that were handed on can't be taken back, so they are held. */
async function* retriedPages<Page>(list: () => AsyncIterable<Page>, tools: RetryTools): AsyncIterable<Page> {
  yield* await retry(async () => {
    const pages: Page[] = [];
    for await (const page of list()) pages.push(page);
    return pages;
  }, tools);
}

async function retry<T>(
  call: () => Promise<T>,
  { clock, report, countRetry, noteThrottled, orStop = (work) => work }: RetryTools,
): Promise<T> {
  for (let tried = 1; ; tried++) {
    try {
      return await call();
    } catch (error) {
      if (!(error instanceof StoreError) || !TRANSIENT.has(error.kind)) throw error;
      if (error.kind === "throttled") noteThrottled?.();
      const waitMs = decideWaitMs(
        { ...DEFAULT_RETRIES, tries: toTries(error.facts.code) },
        tried,
        clock.random(),
        error.facts.retryAfterMs,
      );
      if (waitMs === undefined) throw error;
      countRetry();
      report({
        event: "retry",
        action: error.facts.action,
        attempt: tried + 1,
        waitMs,
        why: error.facts.code ?? error.kind,
      });
      await orStop(clock.sleep(waitMs));
    }
  }
}
