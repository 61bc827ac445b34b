import { widthOf } from "./width.ts";

/** On a screen that leaves less, lines go over its edge rather than down it word by word. */
const LEAST = 20;

/** What is read as one word: a time, a number with its unit. */
const ONE_WORD =
  /(?<=\d{4}-\d\d-\d\d) (?=\d\d:\d\d)|(?<=\d\d:\d\d) (?=UTC)|(?<=\d) (?=(?:[kMGT]?B|m?s|min|h|d)\b)/g;

/** Lines of words that fit; a word that is longer stands alone. */
export function wrap(text: string, width: number): string[] {
  const most = Math.max(LEAST, width);
  const lines: string[] = [];
  for (const word of text.replace(ONE_WORD, "\u00a0").split(" ")) {
    const last = lines.at(-1);
    // Of a gap that a line ends with nothing is left.
    if (word === "" && (last === undefined || widthOf(last) + 2 > most)) continue;
    if (last !== undefined && widthOf(last) + 1 + widthOf(word) <= most)
      lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines.map((line) => line.trimEnd().replaceAll("\u00a0", " "));
}
