import { signsFor } from "../../src/cli/frame/signs.ts";
import type { Terminal } from "../../src/cli/frame/terminal.ts";

export interface Paper extends Terminal {
  /** What was printed, and what was said. */
  readonly out: string[];
  readonly err: string[];
  /** What was drawn at the bottom of the screen, each time. */
  readonly drawn: (readonly string[])[];
}

/** A terminal that writes down what it is given, without colours. */
export function openPaper(changes: Partial<Terminal> = {}): Paper {
  const [out, err, drawn]: [string[], string[], (readonly string[])[]] = [[], [], []];
  return {
    ...{ out, err, drawn, environment: {}, folder: "/", canAsk: false, isLive: false, isScreen: false },
    ...{ columns: 80, liveColumns: 80, liveRows: 24, signs: signsFor({}), ci: undefined },
    live: { draw: (lines) => drawn.push(lines), clear: () => drawn.push([]) },
    redact: (text) => text,
    hide: () => undefined,
    lost: () => undefined,
    noteLost: () => undefined,
    command: (text) => err.push(text),
    print: (text) => out.push(text),
    say: (text) => err.push(text),
    styleSaid: (_, text) => text,
    style: (_, text) => text,
    ...changes,
  };
}
