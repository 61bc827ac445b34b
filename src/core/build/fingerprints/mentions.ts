import { byText } from "../../model/names.ts";

/** What a file name may be made of: letters of a word, separators between words, and the dot that ends its stem. */
const NONE = 0;
const DOT = 1;
const SEPARATOR = 2;
const LOWER = 3;
const MARK = 4;

const CLASSES = new Uint8Array(256);
for (const letter of "abcdefghijklmnopqrstuvwxyz") CLASSES[letter.charCodeAt(0)] = LOWER;
for (const letter of "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789") CLASSES[letter.charCodeAt(0)] = MARK;
for (const letter of "-_~") CLASSES[letter.charCodeAt(0)] = SEPARATOR;
CLASSES[".".charCodeAt(0)] = DOT;

/** Shorter words are no hashes, longer ones are something else. */
const SHORTEST = 6;
const LONGEST = 64;
/** A tool's letters before its hash; a transform's hash after it, and the size of a picture that was made in several. */
const MARKED = /^[g-z]{1,3}(?=[0-9a-f]{16})/;
const LEAST_MARKED = 16;
const AFTER = /^(_[A-Za-z0-9]{5,6}|[-_][0-9wx]{1,9})$/;
const LONGEST_AFTER = 10;

/** Which words are read of a text, besides those that hold a digit or a capital letter. */
export interface WordShapes {
  /** Lengths of hashes that hold a separator (`BfL3s-aQ`): the ends of names of these lengths are read as well. */
  readonly ends: readonly number[];
  /** Lengths of hashes that are nothing but small letters. */
  readonly plain: readonly number[];
}

/** The shapes that these hashes need to be read by. */
export const shapesOf = (tokens: Iterable<string>): WordShapes => {
  const [ends, plain] = [new Set<number>(), new Set<number>()];
  for (const token of tokens)
    if (/[-_~]/.test(token)) ends.add(token.length);
    else if (/^[a-z]+$/.test(token)) plain.add(token.length);
  const sorted = (lengths: Set<number>): number[] => [...lengths].sort((a, b) => a - b);
  return { ends: sorted(ends), plain: sorted(plain) };
};

/**
 * A number for a word, the same for the same letters: 53 bits, so that of a million words and ten thousand hashes two
 * different ones have one number in a million builds once.
 */
const sumOf = (word: string): number => sumOfBytes(Uint8Array.from(word, (letter) => letter.charCodeAt(0)), 0, word.length); // prettier-ignore

function sumOfBytes(bytes: Uint8Array, from: number, to: number): number {
  // Two sums of FNV-1a's kind, with different factors.
  let one = 0x811c9dc5;
  let other = 0x9e3779b9;
  for (let at = from; at < to; at++) {
    const byte = bytes[at] as number;
    one = Math.imul(one ^ byte, 0x01000193);
    other = Math.imul(other ^ byte, 0x85ebca6b) ^ (other >>> 15);
  }
  return (one >>> 0) * 0x200000 + ((other ^ (other >>> 13)) >>> 11);
}

/**
 * A function that reads the words of a text that may be hashes in file names, as sums: each by itself between separators,
 * and, where hashes with separators are looked for, the ends of names. It knows no hash, so that what was read of a text
 * once tells of the hashes of every later build.
 */
export function createWordReader({ ends, plain }: WordShapes): (bytes: Uint8Array) => Float64Array {
  const isPlainLength = new Uint8Array(LONGEST + 1);
  for (const length of plain) isPlainLength[length] = 1;
  return (bytes) => {
    const found = new Set<number>();
    const addEnds = (stem: number, end: number, separator: number): void => {
      for (const length of ends)
        if (end - length >= stem && separator >= end - length)
          found.add(sumOfBytes(bytes, end - length, end));
    };
    const size = bytes.length;
    let part = 0;
    let stem = 0;
    let last = -1;
    let before = -1;
    let hasMark = false;
    for (let at = 0; at <= size; at++) {
      const kind = at < size ? (CLASSES[bytes[at] as number] as number) : NONE;
      if (kind >= LOWER) {
        if (kind === MARK) hasMark = true;
        continue;
      }
      const length = at - part;
      if (length >= SHORTEST && length <= LONGEST) {
        if (hasMark || isPlainLength[length] === 1) found.add(sumOfBytes(bytes, part, at));
        const unmarked = length > LEAST_MARKED ? countMark(bytes, part, at) : 0;
        if (unmarked > 0) found.add(sumOfBytes(bytes, part + unmarked, at));
      }
      part = at + 1;
      hasMark = false;
      if (kind === SEPARATOR) {
        before = last;
        last = at;
        continue;
      }
      if (ends.length > 0 && last >= stem) {
        addEnds(stem, at, last);
        if (at - last <= LONGEST_AFTER && AFTER.test(textOf(bytes, last, at))) addEnds(stem, last, before);
      }
      stem = at + 1;
      last = -1;
      before = -1;
    }
    return Float64Array.from(found);
  };
}

/** How many letters of a tool stand before a hash. */
function countMark(bytes: Uint8Array, from: number, to: number): number {
  const first = bytes[from] as number;
  if (first < G || first > Z) return 0;
  return MARKED.exec(textOf(bytes, from, to))?.[0].length ?? 0;
}
const [G, Z] = ["g".charCodeAt(0), "z".charCodeAt(0)];

const textOf = (bytes: Uint8Array, from: number, to: number): string =>
  String.fromCharCode(...bytes.subarray(from, to));

/** A function that tells which of these hashes are among the words of a text, sorted. */
export function createTokenFinder(tokens: ReadonlySet<string>): (words: Float64Array) => string[] {
  const bySum = new Map([...tokens].map((token) => [sumOf(token), token]));
  return (words) => {
    const found: string[] = [];
    if (bySum.size > 0)
      for (const word of words) {
        const token = bySum.get(word);
        if (token !== undefined) found.push(token);
      }
    return found.sort(byText);
  };
}
