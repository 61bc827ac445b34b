import { widthOf } from "./width.ts";

/** On a screen that leaves less, lines go over its edge rather than down it word by word. */
const LEAST = 20;

/** Lines of words that fit; a word that is longer stands alone. */
export function wrap(text: string, width: number): string[] {
  const most = Math.max(LEAST, width);
  const lines: string[] = [];
  for (const word of text.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && widthOf(last) + 1 + widthOf(word) <= most)
      lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}
