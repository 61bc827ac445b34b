import { stripVTControlCharacters, styleText } from "node:util";
import { createLiveArea, type LiveArea } from "./live-area.ts";
import { signsFor, type Signs } from "./signs.ts";
import { findCiService, type CiService } from "./ci-service.ts";
import { oneLine } from "../../words/text.ts";
import { createRedactor } from "../../wiring/secrets.ts";

/** Where a command reads and writes: the one door to the console. */
export interface Terminal {
  readonly environment: NodeJS.ProcessEnv;
  readonly folder: string;
  /** Whether a person can be asked. */
  readonly canAsk: boolean;
  /** Whether messages go to a screen that can be redrawn. */
  readonly isLive: boolean;
  readonly columns: number;
  /** Whether the result goes to a screen, which has an edge. */
  readonly isScreen: boolean;
  readonly signs: Signs;
  /** Of the screen that messages go to. */
  readonly liveColumns: number;
  readonly liveRows: number;
  /** What is drawn anew there; whatever is printed or said goes above it. */
  readonly live: LiveArea;
  /** The CI service that runs this, where one is known. */
  readonly ci?: CiService | undefined;
  /** Takes secrets out of a text; what is printed and said has gone through it. */
  readonly redact: (text: string) => string;
  /** Makes a secret known, as soon as it is. */
  readonly hide: (secret: string) => void;
  /** The result. */
  readonly print: (text: string) => void;
  /** Progress and messages; no CI service finds a command in them, nor in a result. */
  readonly say: (text: string) => void;
  /** A command of `ci`, as it is. */
  readonly command: (text: string) => void;
  /** Of the result, and of messages: only one of them may go to a screen. */
  readonly style: Style;
  readonly styleSaid: Style;
  /** The first of what could not be written, and why: it stops nothing, and is told when all else is done. */
  readonly lost: () => Lost | undefined;
  readonly noteLost: (lost: Lost) => void;
}

interface Lost {
  /** A file, or what goes to a stream. */
  readonly what: string;
  /** The system's code, as `ENOSPC`. */
  readonly cause: string;
}

export type Mark = "strong" | "faint" | "good" | "warn" | "bad";
export type Style = (mark: Mark, text: string) => string;

const MARKS = { strong: "bold", faint: "dim", good: "green", warn: "yellow", bad: "red" } as const;

/** As services set it; whoever says `false` means that it is none. */
const isCi = ({ CI }: NodeJS.ProcessEnv): boolean =>
  CI !== undefined && CI !== "" && CI !== "false" && CI !== "0";

/**
 * Whether a stream's text is coloured. `NO_COLOR` counts unless it is empty (no-color.org), before `FORCE_COLOR`, where
 * `0` and `false` mean no, and all else yes; without both it is a matter of the screen.
 */
function wantsColor(
  { NO_COLOR: no, FORCE_COLOR: force, TERM }: NodeJS.ProcessEnv,
  isScreen: boolean,
): boolean {
  if (no !== undefined && no !== "") return false;
  if (force !== undefined) return force !== "0" && force !== "false";
  return isScreen && TERM !== "dumb";
}

export function openTerminal(color: boolean): Terminal {
  const { stdout, stderr, stdin } = process;
  const { env } = process;
  let lost: Lost | undefined;
  const noteLost = (one: Lost): void => {
    lost ??= one;
  };
  const print = openStream(stdout, "the result", noteLost);
  const say = openStream(stderr, "a message", noteLost);
  const live = createLiveArea({ write: say, columns: () => stderr.columns || 100 });
  const styleFor = (stream: NodeJS.WriteStream): Style => {
    const isWanted = color && wantsColor(env, stream.isTTY);
    return (mark, text) => (isWanted ? styleText(MARKS[mark], text, { validateStream: false }) : text);
  };
  const { redact, hide } = createRedactor(env);
  return {
    environment: env,
    folder: process.cwd(),
    // A run without a person must not wait for one, whatever it is given for a terminal.
    canAsk: stdin.isTTY && stderr.isTTY && !isCi(env),
    isLive: stderr.isTTY && stderr.columns > 20 && env.TERM !== "dumb" && !isCi(env),
    // A window may become another size while a run goes on.
    get columns() {
      return (stdout.isTTY ? stdout.columns : 0) || 100;
    },
    isScreen: stdout.isTTY,
    signs: signsFor(env),
    get liveColumns() {
      return stderr.columns || 100;
    },
    get liveRows() {
      return stderr.rows || 24;
    },
    ci: findCiService(env, () => Math.floor(Date.now() / 1000)),
    ...{ redact, hide },
    ...{ lost: () => lost, noteLost },
    live,
    print: (text) => {
      live.clear();
      print(disarm(redact(text)));
    },
    say: (text) => {
      live.clear();
      say(disarm(redact(text)));
    },
    command: (text) => {
      say(redact(text));
    },
    ...{ style: styleFor(stdout), styleSaid: styleFor(stderr) },
  };
}

/** Writes to a stream that may not take it, a file on a full disk or a terminal that is gone: nothing is stopped by that. */
function openStream(
  stream: NodeJS.WriteStream,
  what: string,
  noteLost: (lost: Lost) => void,
): (text: string) => void {
  const note = ({ code, message }: NodeJS.ErrnoException): void => {
    // Whoever reads our output may have seen enough (`| head`): that is no failure.
    if (code !== "EPIPE") noteLost({ what, cause: code ?? message });
  };
  stream.on("error", note);
  return (text) => {
    try {
      stream.write(text);
    } catch (error) {
      // A file is written at once.
      note(error as NodeJS.ErrnoException);
    }
  };
}

/** Text that comes from outside, made safe to print: one line, no control characters, and none that turns the reading direction. */
export const clean = (text: string): string =>
  oneLine(stripVTControlCharacters(text)).replace(
    /[\u0000-\u001f\u007f-\u009f\u200e\u200f\u202a-\u202e\u2066-\u2069]/g,
    "\ufffd",
  );

/** The same for a text of several lines, whose values were made lines of their own when they were put in. */
export const cleanLines = (text: string): string => text.split("\n").map(clean).join("\n");

/** What CI services take for a command: at the beginning of a line, or anywhere in it. */
const LINE_COMMAND = /^([^\S\n]*)::/gm;
const COMMAND = /##(?=(?:vso|teamcity)?\[)/gi;

/** Text in which no CI service finds a command. The second form is right in JSON, too. */
const disarm = (text: string): string => text.replace(LINE_COMMAND, "$1\\::").replace(COMMAND, "#\\u0023");
