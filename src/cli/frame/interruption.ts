import { OperatorError } from "../../core/model/failure.ts";
import type { Interruption } from "../../workflows/run.ts";
import type { Terminal } from "./terminal.ts";

/** What asks a run to stop, and how it then ends. */
const SIGNALS = { SIGINT: "interrupted", SIGTERM: "terminated" } as const;
const EXITS = { SIGINT: 130, SIGTERM: 143 } as const;

export interface Interruptible extends Interruption {
  /** From here on a signal has its usual effect again, unless one has come: then the program is about to end. */
  end(): void;
}

/** The first Ctrl-C lets what is under way end and starts nothing new; the second ends the program at once. */
export function watchForInterruption(terminal: Terminal): Interruptible {
  let asked: keyof typeof SIGNALS | undefined;
  const waiting = new Set<(error: OperatorError) => void>();
  const stop = (signal: keyof typeof SIGNALS): void => {
    if (asked) process.exit(EXITS[signal]);
    asked = signal;
    terminal.say("\nstopping: what is under way ends first; once more stops at once\n");
    for (const reject of waiting) reject(new OperatorError(SIGNALS[signal]));
  };
  const onInterrupt = (): void => {
    stop("SIGINT");
  };
  const onTerminate = (): void => {
    stop("SIGTERM");
  };
  process.on("SIGINT", onInterrupt);
  process.on("SIGTERM", onTerminate);
  return {
    assertGoesOn: () => {
      if (asked) throw new OperatorError(SIGNALS[asked]);
    },
    orStop: (work) =>
      new Promise((resolve, reject) => {
        waiting.add(reject);
        work.then(resolve, reject).finally(() => waiting.delete(reject));
      }),
    end: () => {
      // A second one now would end it without the exit code of the first, and without what it has to say.
      if (asked) return;
      process.off("SIGINT", onInterrupt);
      process.off("SIGTERM", onTerminate);
    },
  };
}
