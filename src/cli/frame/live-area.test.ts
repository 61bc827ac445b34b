import { createLiveArea } from "./live-area.ts";

/** A screen of a terminal, as far as the area uses it. */
function openScreen(): { write: (text: string) => void; rows: () => string[]; width: number } {
  let [lines, row, column] = [[""] as string[], 0, 0];
  const screen = {
    width: 80,
    rows: () => lines.map((line) => line.trimEnd()),
    write: (text: string) => {
      for (const [, up, clear, letter] of text.matchAll(/\u001b\[(\d+)A|(\u001b\[J)|([\s\S])/g)) {
        if (up !== undefined) row = Math.max(0, row - Number(up));
        else if (clear !== undefined)
          lines = lines.slice(0, row + 1).map((line, at) => (at === row ? line.slice(0, column) : line));
        else if (letter === "\r") column = 0;
        else if (letter === "\n") {
          [row, column] = [row + 1, 0];
          lines[row] ??= "";
        } else {
          lines[row] =
            (lines[row] ?? "").padEnd(column).slice(0, column) +
            (letter ?? "") +
            (lines[row] ?? "").slice(column + 1);
          column += 1;
        }
      }
    },
  };
  return screen;
}

test("the area is drawn over itself, grows and shrinks, and leaves nothing behind", () => {
  const screen = openScreen();
  const area = createLiveArea({ write: screen.write, columns: () => screen.width });
  screen.write("$ rcourier deliver\n");
  area.draw(["one", "two", "three"]);
  expect(screen.rows()).toEqual(["$ rcourier deliver", "one", "two", "three"]);
  area.draw(["a"]);
  expect(screen.rows()).toEqual(["$ rcourier deliver", "a"]);
  area.draw(["b", "c"]);
  area.clear();
  area.clear();
  screen.write("release 1 is delivered\n");
  expect(screen.rows()).toEqual(["$ rcourier deliver", "release 1 is delivered", ""]);
});

test("in a window that was made narrower nothing above the area is harmed", () => {
  const screen = openScreen();
  const area = createLiveArea({ write: screen.write, columns: () => screen.width });
  screen.write("what was there\n");
  area.draw(["one", "two"]);
  screen.width = 40;
  area.draw(["1", "2"]);
  expect(screen.rows()).toEqual(["what was there", "one", "two", "1", "2"]);
  screen.width = 90;
  area.clear();
  expect(screen.rows()).toEqual(["what was there", "one", "two", ""]);
});
