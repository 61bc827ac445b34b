import { cut, fill, widthOf } from "./width.ts";

test.each([
  ["ferries.html", 12],
  ["\u6e21\u8239", 4],
  ["caf\u00e9", 4],
  ["cafe\u0301", 4],
  ["\u{1f6f3}\ufe0f", 2],
  ["\u{1f468}\u200d\u{1f469}\u200d\u{1f467}", 2],
  ["\u26f4", 1],
  ["\uff21", 2],
  ["\u200b", 0],
  ["", 0],
])("%s takes %i columns", (text, width) => {
  expect(widthOf(text)).toBe(width);
  expect(widthOf(fill(text, 14))).toBe(14);
  expect(fill(`${text}x`, 1)).toBe(width === 0 ? `${text}x` : `${text}x`);
});

test("as much as fits, and never half a letter", () => {
  expect([cut("ferries", 3), cut("\u6e21\u8239", 3), cut("\u6e21\u8239", 4), cut("cafe\u0301s", 4)]).toEqual(["fer", "\u6e21", "\u6e21\u8239", "cafe\u0301"]); // prettier-ignore
  expect([cut("a", 0), cut("\u6e21", 0), cut("a", -1)]).toEqual(["", "", ""]);
});
