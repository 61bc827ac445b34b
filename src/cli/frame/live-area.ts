/** Lines at the bottom of a screen that are drawn anew while work goes on, and leave nothing behind. */
export interface LiveArea {
  /** Takes the place of what was drawn before. Lines that don't fit are the caller's fault: they are never wrapped. */
  draw: (lines: readonly string[]) => void;
  /** Takes all of it away, so that something else can be written there. */
  clear: () => void;
}

export interface Screen {
  readonly write: (text: string) => void;
  readonly columns: () => number;
}

/**
 * The cursor stands at the end of the last line, so that a Ctrl-C or a `kill -9` leaves a whole terminal behind: nothing is
 * hidden or switched that would have to be switched back. Control sequences of ECMA-48, sections 8.3.22 and 8.3.39.
 */
export function createLiveArea({ write, columns }: Screen): LiveArea {
  let [drawn, width] = [0, 0];
  const erase = (): string => {
    if (drawn === 0) return "";
    // In a window that was made narrower nobody knows where the lines are now: they are left, and nothing above them is harmed.
    if (columns() < width) return "\n";
    return `\r${drawn > 1 ? `\u001b[${drawn - 1}A` : ""}\u001b[J`;
  };
  return {
    draw: (lines) => {
      const before = erase();
      [drawn, width] = [lines.length, columns()];
      write(before + lines.join("\n"));
    },
    clear: () => {
      const before = erase();
      drawn = 0;
      if (before !== "") write(before);
    },
  };
}
