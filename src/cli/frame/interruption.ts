import { Stopped } from "../../wiring/interruption.ts";
import { endNow, listenForSignals, SIGNALS } from "./signals.ts";
import type { Terminal } from "./terminal.ts";

/** Stops what goes on when the system asks for it. */
export interface Stopping {
  readonly signal: AbortSignal;
  /** From here on a signal has its usual effect again, unless one has come: then the program is about to end. */
  end(): void;
}

/** The first Ctrl-C stops a run, which ends well; the second ends the program at once. */
export function abortOnSignals(terminal: Terminal): Stopping {
  const stop = new AbortController();
  const endListening = listenForSignals((signal) => {
    if (stop.signal.aborted) endNow(signal);
    terminal.say("\nstopping after the requests under way; press Ctrl-C again to stop at once\n");
    stop.abort(new Stopped(SIGNALS[signal].code));
  });
  return {
    signal: stop.signal,
    end: () => {
      // A second one now would end it without the exit code of the first, and without what it has to say.
      if (!stop.signal.aborted) endListening();
    },
  };
}
