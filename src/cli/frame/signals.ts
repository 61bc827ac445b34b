/** What ends a run from outside: the failure that it then has, and its exit code (128 and the number of the signal, POSIX.1-2017 XCU 2.8.2). */
export const SIGNALS = {
  SIGINT: { code: "interrupted", exit: 130 },
  SIGTERM: { code: "terminated", exit: 143 },
  SIGHUP: { code: "hung-up", exit: 129 },
} as const;
type Signal = keyof typeof SIGNALS;

const NAMES = Object.keys(SIGNALS) as Signal[];

type Listener = (signal: Signal) => void;

/** Ends at once, past whatever is waited for; what must be cleared away goes with the program's `exit` event. */
export const endNow: Listener = (signal) => process.exit(SIGNALS[signal].exit);

/** Who hears of a signal; the last one that wants to. */
const listeners: Listener[] = [];

/** From here on a signal is told to this one alone. @returns what ends that */
export function listenForSignals(listener: Listener): () => void {
  listeners.push(listener);
  if (listeners.length === 1) for (const name of NAMES) process.on(name, tell);
  return () => {
    const at = listeners.indexOf(listener);
    if (at >= 0) listeners.splice(at, 1);
    if (listeners.length === 0) for (const name of NAMES) process.off(name, tell);
  };
}

function tell(signal: Signal): void {
  listeners.at(-1)?.(signal);
}

/** Until somebody stops the program, by hand or by ending it from outside. */
export const waitForStop = (): Promise<void> =>
  new Promise((resolve) => {
    const end = listenForSignals(() => {
      end();
      resolve();
    });
  });
