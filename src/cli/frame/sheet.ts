import { largest } from "../../core/model/largest.ts";
import { showBytes } from "../../words/numbers.ts";
import { grouped } from "../../words/text.ts";
import { clean, type Mark, type Terminal } from "./terminal.ts";
import { cutMiddle, fill, widthOf } from "./width.ts";
import { wrap } from "./wrap.ts";

/**
 * The parts that every output is made of. It reads from the top: the route, one sentence that says how things stand, rows of
 * a number with its noun, and the next call last. `why` and `mend` stand in the margin. Colour only repeats what words say.
 * Every text that comes in here is made safe to print, wherever it is from.
 */

/** What of a terminal a text for it depends on. */
export type Sheet = Pick<Terminal, "style" | "columns" | "signs" | "isScreen">;

/** Names below a row begin here. */
const INDENT = 6;
/** What may stand in the margin is no longer. */
const MARGIN = 7;
/** A note needs so many columns beside its row; with less it goes below. */
const LEAST_NOTE = 26;
/** The shortest that a name in a list is cut to. */
const LEAST_NAME = 16;
/** Between columns, and between a text and its remark. */
export const GAP = "   ";
/** Longer lines are hard to read, however wide the screen. */
const MOST_PROSE = 100;

/** How wide a line of prose may be. */
export const proseColumns = ({ columns }: Pick<Sheet, "columns">): number => Math.min(columns, MOST_PROSE);

/** The first two lines: where from and where to, and how it stands. @param mark of the sentence */
export function toHead(sheet: Sheet, route: readonly string[], sentence: string, mark?: Mark): string {
  const way = route.map(clean).join(` ${sheet.signs.to} `);
  const lines = wrap(clean(sentence), proseColumns(sheet)).map((line) =>
    mark ? sheet.style(mark, line) : line,
  );
  return `${sheet.style("strong", way)}\n${lines.join("\n")}\n`;
}

/** A number with its noun and verb. */
export interface Row {
  readonly count: number;
  /** As it follows the number. */
  readonly what: string;
  readonly bytes?: number | undefined;
  readonly note?: string | undefined;
  readonly mark?: Mark | undefined;
}

/** Rows of which each is a sentence: the number, its noun and verb, the size, a remark. Rows that count nothing are left out. */
export function toRows(sheet: Sheet, all: readonly Row[]): string {
  const rows = all.filter(({ count }) => count > 0);
  const numbers = Math.max(5, largest(rows.map(({ count }) => grouped(count).length)));
  const nouns = largest(rows.map(({ what }) => widthOf(clean(what))));
  const sizes = rows.some(({ bytes }) => bytes !== undefined) ? 10 : 0;
  const beside = numbers + 1 + nouns + sizes + GAP.length;
  const room = sheet.columns - beside;
  const [at, width] = room < LEAST_NOTE ? [INDENT + 2, sheet.columns - INDENT - 2] : [beside, room];
  const lines = rows.flatMap(({ count, what, bytes, note = "", mark }) => {
    const size = bytes === undefined ? "" : showBytes(bytes);
    const words = fill(clean(what), nouns);
    const head = `${grouped(count).padStart(numbers)} ${mark ? sheet.style(mark, words) : words}${size.padStart(sizes)}`;
    if (note === "") return [head.trimEnd()];
    const notes = wrap(clean(note), width).map((line) => sheet.style("faint", line));
    const below = notes.map((line) => " ".repeat(at) + line);
    return at === beside ? [`${head}${GAP}${notes[0] ?? ""}`, ...below.slice(1)] : [head.trimEnd(), ...below];
  });
  return lines.map((line) => `${line}\n`).join("");
}

/** What the lines below it are. */
export const toTitle = (sheet: Sheet, words: string): string => `   ${sheet.style("strong", clean(words))}\n`;

/** Text below a row, or one that goes on for more than a line. */
export const toText = ({ columns, style }: Sheet, text: string, mark?: Mark, indent = INDENT): string =>
  wrap(clean(text), proseColumns({ columns }) - indent)
    .map((line) => `${" ".repeat(indent)}${mark ? style(mark, line) : line}\n`)
    .join("");

/** One of a list. */
export interface Named {
  readonly name: string;
  readonly bytes?: number | undefined;
  readonly note?: string | undefined;
}

/** How a list is cut. */
export interface Cut {
  /** So many are named, the rest is counted. */
  readonly most: number;
  readonly all: boolean;
  readonly indent?: number;
}

/** Names, one per line, with their sizes and remarks beside them. Names that are too long for a screen are cut in the middle. */
export function toNames(sheet: Sheet, items: readonly Named[], { most, all, indent = INDENT }: Cut): string {
  const shown = all ? items : items.slice(0, most);
  const sizes = shown.some(({ bytes }) => bytes !== undefined) ? 10 : 0;
  const notes = largest(shown.map(({ note = "" }) => Math.min(widthOf(note), LEAST_NOTE)));
  const room = sheet.columns - indent - sizes - (notes > 0 ? notes + GAP.length : 0);
  const names = shown.map(({ name }) => cutName(sheet, clean(name), room));
  // A log has no edge: one long name there does not push all the others' columns out.
  const width = Math.min(largest(names.map(widthOf)), Math.max(LEAST_NAME, room));
  const lines = shown.map(({ bytes, note = "" }, index) => {
    const name = fill(names[index] ?? "", sizes + notes > 0 ? width : 0);
    const size = (bytes === undefined ? "" : showBytes(bytes)).padStart(sizes);
    return `${" ".repeat(indent)}${name}${size}${note === "" ? "" : GAP + sheet.style("faint", clean(note))}`;
  });
  return [...lines.map((line) => line.trimEnd()), ...toRest(items.length - shown.length, indent)]
    .map((line) => `${line}\n`)
    .join("");
}

/** What is said in the place of names that are not shown. */
export const toRest = (count: number, indent: number): string[] =>
  count > 0 ? [`${" ".repeat(indent)}and ${grouped(count)} more; --all lists them`] : [];

/** A name as it is shown: on a screen it is cut to fit, in a file it stays whole. */
export const cutName = (
  { isScreen, signs }: Pick<Sheet, "isScreen" | "signs">,
  name: string,
  width: number,
): string => (isScreen ? cutMiddle(name, Math.max(LEAST_NAME, width), signs.more) : name);

/** A word in the margin, and what it is of. */
export interface Marginal {
  readonly label: string;
  readonly words: string;
  readonly mark?: Mark;
  /** Where the label begins, and where the words do. */
  readonly at?: number;
  readonly wordsAt?: number;
}

/** `why` and `mend`, beside what they are of. */
export function toMargin(
  sheet: Sheet,
  { label, words, mark = "strong", at = 0, wordsAt = MARGIN }: Marginal,
): string {
  const [first = "", ...rest] = wrap(clean(words), proseColumns(sheet) - wordsAt);
  const head =
    " ".repeat(at) + sheet.style(mark, label) + " ".repeat(Math.max(1, wordsAt - at - widthOf(label)));
  return [head + first, ...rest.map((line) => " ".repeat(wordsAt) + line)]
    .map((line) => `${line}\n`)
    .join("");
}

/** The last line: the call to make now, and what it does. */
export const toNext = (sheet: Sheet, call: string, what = ""): string =>
  `\n${toMargin(sheet, { label: "next", words: call + (what === "" ? "" : `${GAP}${what}`) })}`;
