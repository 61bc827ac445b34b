import type { Terminal } from "./terminal.ts";

/** What is being done just now. */
interface StageLine {
  show(words: string): void;
  end(): void;
}

/** One line that is drawn anew on a screen, and goes before the result; plain lines anywhere else. */
export function createStageLine(terminal: Terminal, isQuiet: boolean): StageLine {
  let last = "";
  const erase = terminal.isLive ? "\r\u001b[2K" : "";
  return {
    show: (words) => {
      if (!isQuiet && words !== last) terminal.say(`${erase}${words} …${terminal.isLive ? "" : "\n"}`);
      last = words;
    },
    end: () => {
      if (!isQuiet) terminal.say(erase);
    },
  };
}
