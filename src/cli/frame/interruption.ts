import { setMaxListeners } from "node:events";
import { OperatorError } from "../../core/model/failure.ts";
import type { Interruption } from "../../workflows/run.ts";
import { endNow, listenForSignals, SIGNALS, type Signal } from "./signals.ts";
import type { Terminal } from "./terminal.ts";

/** What is under way at the first signal gets so long to end. */
const GRACE_MS = 10_000;

export interface Interruptible extends Interruption {
  /** The signal by which reads are given up: those that are under way at the first signal. Later ones have a new one. */
  readonly stop: () => AbortSignal;
  /** The outcome of a run; where it does not end by itself after the first signal, `interrupted`. */
  orGiveUp<T>(run: Promise<T>): Promise<T>;
  /** The failure of a run: what was stopped failed since it was stopped. */
  explain(error: unknown): unknown;
  /** From here on a signal has its usual effect again, unless one has come: then the program is about to end. */
  end(): void;
}

/**
 * The first Ctrl-C gives up what is read, lets what is written end, and starts nothing new; the second ends the program at
 * once. A run that does not end by itself is left as it is: that is safe at any time, as a `kill -9` is.
 */
export function watchForInterruption(terminal: Terminal): Interruptible {
  let asked: Signal | undefined;
  let reads = createStop();
  let grace: NodeJS.Timeout | undefined;
  const waiting = new Set<(error: OperatorError) => void>();
  const late = new Set<(error: OperatorError) => void>();
  const toStopped = (signal: Signal, cause?: unknown): OperatorError =>
    new OperatorError(SIGNALS[signal].code, {}, {}, cause);
  const endListening = listenForSignals((signal) => {
    if (asked) endNow(signal);
    asked = signal;
    terminal.say("\nstopping: what is under way ends first; once more stops at once\n");
    for (const reject of waiting) reject(toStopped(signal));
    const before = reads;
    // Letting go of the destination takes reads, too.
    reads = createStop();
    before.abort();
    grace = setTimeout(() => {
      for (const reject of late) reject(toStopped(signal));
    }, GRACE_MS);
  });
  const orReject = <T>(work: Promise<T>, rejects: Set<(error: OperatorError) => void>): Promise<T> =>
    new Promise((resolve, reject) => {
      rejects.add(reject);
      work.then(resolve, reject).finally(() => rejects.delete(reject));
    });
  return {
    assertGoesOn: () => {
      if (asked) throw toStopped(asked);
    },
    orStop: (work) => orReject(work, waiting),
    orGiveUp: (run) => orReject(run, late),
    stop: () => reads.signal,
    explain: (error) => (asked && isOfStop(error) ? toStopped(asked, error) : error),
    end: () => {
      clearTimeout(grace);
      // A second one now would end it without the exit code of the first, and without what it has to say.
      if (asked) return;
      endListening();
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
