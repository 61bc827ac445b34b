/** What a run can end with, and what each means. */
export const EXITS = {
  0: "done",
  1: "the store, the edge or a file could not be worked with, or `checkup` found a broken link",
  2: "the call or the settings are wrong; nothing was written",
  3: "a guard refused, or an answer was no or is missing; nothing was written",
  4: "there are differences, where the call says that there may be none",
  5: "delivered, but an edge still owes a confirmation, or `verify` found what is not as delivered",
  6: "another delivery holds the destination, or was faster",
  7: "not allowed",
  70: "a fault of ours",
  74: "what was to be done is done, but its result or messages could not be written",
  129: "the terminal was closed",
  130: "interrupted by Ctrl-C",
  143: "ended from outside",
} as const;
export type ExitCode = keyof typeof EXITS;
