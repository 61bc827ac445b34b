import { eastAsianWidth } from "get-east-asian-width";
import { largest } from "../../core/model/largest.ts";

const letters = new Intl.Segmenter("en", { granularity: "grapheme" });
const ASCII = /^[\u0020-\u007e]*$/;
/** Shown as a picture (UTS #51, section 1.4.2), or made one by what follows it. */
const PICTURE = /\p{Emoji_Presentation}|\ufe0f/u;
/** Nothing of its own to be seen: marks, and what only joins or turns. */
const UNSEEN = /^[\p{Mark}\p{Format}\p{Control}]*$/u;

/** Columns of a terminal that a letter takes: two for pictures and the wide letters of East Asia (UAX #11). */
const widthOfLetter = (letter: string): number =>
  UNSEEN.test(letter) ? 0 : PICTURE.test(letter) ? 2 : eastAsianWidth(letter.codePointAt(0) ?? 0);

/** Columns of a terminal that a text without control characters takes. */
export function widthOf(text: string): number {
  if (ASCII.test(text)) return text.length;
  let width = 0;
  for (const { segment } of letters.segment(text)) width += widthOfLetter(segment);
  return width;
}

/** Filled with blanks up to a width, on the right. */
export const fill = (text: string, width: number): string =>
  text + " ".repeat(Math.max(0, width - widthOf(text)));

/** What stands beside a name in a table, at the least. */
const BESIDE = 30;
const LEAST_NAME = 12;

/** Columns for names in a table: those of the longest, unless that leaves too little of the screen; then it stands out. */
export const columnFor = (names: readonly string[], screen: number): number =>
  Math.min(largest(names.map(widthOf)), Math.max(LEAST_NAME, screen - BESIDE));

/** As much of it as fits. */
export function cut(text: string, width: number): string {
  if (ASCII.test(text)) return text.slice(0, Math.max(0, width));
  let [shown, used] = ["", 0];
  for (const { segment } of letters.segment(text)) {
    used += widthOfLetter(segment);
    if (used > width) break;
    shown += segment;
  }
  return shown;
}

/** The same from the end. */
function cutStart(text: string, width: number): string {
  const all = [...letters.segment(text)].map(({ segment }) => segment);
  let [from, used] = [all.length, 0];
  while (from > 0) {
    used += widthOfLetter(all[from - 1] ?? "");
    if (used > width) break;
    from -= 1;
  }
  return all.slice(from).join("");
}

/** Cut in the middle, where a path says least: its first folder and its end tell which one it is. @param sign stands for the rest */
export function cutMiddle(text: string, width: number, sign: string): string {
  if (widthOf(text) <= width) return text;
  const room = Math.max(0, width - widthOf(sign));
  const end = cutStart(text, Math.ceil((room * 2) / 3));
  return cut(text, room - widthOf(end)) + sign + end;
}
