import type { Terminal } from "./terminal.ts";
import { cut } from "./width.ts";

/** What is being done just now. */
interface StageLine {
  show(words: string): void;
  end(): void;
}

/** One line that is drawn anew on a screen, and goes before the result; plain lines anywhere else. */
export function createStageLine(terminal: Terminal, isQuiet: boolean): StageLine {
  let last = "";
  return {
    show: (words) => {
      if (isQuiet || words === last) return;
      last = words;
      const line = `${words} ${terminal.signs.more}`;
      if (terminal.isLive) terminal.live.draw([cut(line, terminal.liveColumns - 1)]);
      else terminal.say(`${line}\n`);
    },
    end: () => {
      terminal.live.clear();
    },
  };
}
