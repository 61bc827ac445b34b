/** What a run can end with, and what each means. */
export const EXITS = {
  0: "done",
  1: "the store, the edge or a file failed, or a test of `checkup` did",
  2: "the call or the settings are wrong; nothing was written",
  3: "a guard refused, or an answer was no or is missing; nothing was written",
  4: "there are differences, and the call asked to fail on them",
  5: "delivered, but an edge has not confirmed yet, or `verify` found a difference",
  6: "another run has the hold of the destination, or was faster",
  7: "the credentials are missing, or may not do this",
  70: "a bug in Restless Courier",
  74: "the work itself is done, but its result or messages could not be written",
  129: "the terminal was closed",
  130: "interrupted by Ctrl-C",
  143: "stopped by a signal (SIGTERM)",
} as const;
export type ExitCode = keyof typeof EXITS;
