import { setMaxListeners } from "node:events";
import { OperatorError } from "../core/model/failure.ts";
import type { Interruption } from "../workflows/run.ts";

/** What is under way when somebody stops a run gets so long to end. */
const GRACE_MS = 10_000;

/** Why a run was stopped, where that is known: the reason of an `AbortSignal`. */
export class Stopped extends Error {
  constructor(readonly code: "interrupted" | "terminated" | "hung-up") {
    super(code);
    this.name = "Stopped";
  }
}

export interface Interruptible extends Interruption {
  /** The signal by which reads are given up: those that are under way at the stop. Later ones have a new one. */
  readonly stop: () => AbortSignal;
  /** The outcome of a run; where it does not end by itself after the stop, `interrupted`. */
  orGiveUp<T>(run: Promise<T>): Promise<T>;
  /** The failure of a run: what was stopped failed since it was stopped. */
  explain(error: unknown): unknown;
  /** From here on the signal has no effect. */
  end(): void;
}

/**
 * A stop gives up what is read, lets what is written end, and starts nothing new. A run that does not end by itself is left
 * as it is: that is safe at any time, as a `kill -9` is.
 * @param signal stops the run; undefined: nobody does
 */
export function followSignal(signal: AbortSignal | undefined): Interruptible {
  let reads = createStop();
  let grace: NodeJS.Timeout | undefined;
  const waiting = new Set<(error: OperatorError) => void>();
  const late = new Set<(error: OperatorError) => void>();
  const toStopped = (): OperatorError => {
    const reason: unknown = signal?.reason;
    return new OperatorError(reason instanceof Stopped ? reason.code : "interrupted", {}, {}, reason);
  };
  const stop = (): void => {
    for (const reject of waiting) reject(toStopped());
    const before = reads;
    // Letting go of the destination takes reads, too.
    reads = createStop();
    before.abort();
    grace = setTimeout(() => {
      for (const reject of late) reject(toStopped());
    }, GRACE_MS);
  };
  signal?.addEventListener("abort", stop, { once: true });
  const orReject = <T>(work: Promise<T>, rejects: Set<(error: OperatorError) => void>): Promise<T> =>
    new Promise((resolve, reject) => {
      rejects.add(reject);
      work.then(resolve, reject).finally(() => rejects.delete(reject));
    });
  return {
    assertGoesOn: () => {
      if (signal?.aborted === true) throw toStopped();
    },
    orStop: (work) => orReject(work, waiting),
    orGiveUp: (run) => orReject(run, late),
    stop: () => reads.signal,
    explain: (error) => (signal?.aborted === true && isOfStop(error) ? toStopped() : error),
    end: () => {
      clearTimeout(grace);
      signal?.removeEventListener("abort", stop);
    },
  };
}

/** Ctrl-C reaches a helper that fetches credentials as well, which then has none. */
const isOfStop = (error: unknown): boolean =>
  !(error instanceof OperatorError) || error.code === "no-credentials";

/** As many requests as there are may wait for it. */
function createStop(): AbortController {
  const stop = new AbortController();
  setMaxListeners(0, stop.signal);
  return stop;
}
