import { ALPHABETS } from "./alphabets.ts";
import { isScriptOrStyle } from "../../model/role.ts";

/** A part of a file's name that may be a hash. */
export interface Candidate {
  readonly token: string;
  readonly folder: string;
  readonly place: Place;
  /** What stands behind it, numbers and twins left out: `.lean.js`. */
  readonly end: string;
}

/** Where in the name it stands: a bundler puts it last, or lets it be the whole name; some put it first, or before marks of their own. */
export const PLACES = ["end", "whole", "start", "middle"] as const;
export type Place = (typeof PLACES)[number];

/** Kinds of files whose names bundlers never make immutable, or which change under their name (source maps). */
const NEVER = /\.(map|html?|xhtml|xml|ics|webmanifest|appcache|php)(\.(br|gz))?$/i;
const MEDIA =
  /\.(png|jpe?g|gif|webp|avif|svg|ico|woff2?|ttf|otf|eot|mp[34]|webm|ogg|m4a|wav|pdf|glb)(\.(br|gz))?$/i;
const DATA = /\.(json|txt|data|bin|csv)(\.(br|gz))?$/i;

/** What people themselves name by random letters: never a bundler's choice. */
const UUID = /[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/i;

/** `-600`, `-1200w`, `_640x480`: the size of a picture that was made in several. */
const SIZE = /[-_](\d{1,4}w?|\d{1,4}x\d{0,4})$/;
/** A transform's own hash after the content's: `photo.BfL3s9aQ_Z1kXy2`. */
const TRANSFORM = /_[A-Za-z0-9]{5,6}$/;
const TRANSFORM_MARK = /^_[A-Za-z0-9]{5,6}(?=\.)/;
/** Further endings, such as `.chunk.js`, `.js.LICENSE.txt`: words, not letters at random. */
const MOST_ENDINGS = 4;
const ENDING = /\.[A-Za-z]{2,8}\d?$/;

const LAST_PART = /(?<=[._~-])[^._~-]+$/;

const SHORTEST = 6;
const LONGEST = 24;
/** Longer ones can only be hexadecimal: what else is as long are words. */
const LONG_HEX = /^[0-9a-f]{16,128}$/;
/** Letters that a tool puts before its hash: `hu57295dcd…`. */
const MARKED_HEX = /^[g-z]{1,3}(?=[0-9a-f]{16,128}$)/;

/** Whether a bundler may give such a file a hashed name at all. */
export const canCarryHash = (path: string): boolean =>
  !NEVER.test(path) && (isScriptOrStyle(path) || MEDIA.test(path) || DATA.test(path));

/** Behind a mark, or two separators, a part is only believed to be one if it is as long as bundlers make them. */
const KNOWN_LENGTHS = new Set(ALPHABETS.flatMap(({ lengths }) => [...lengths]));
const MARKS = [SIZE, TRANSFORM];

/** All parts of a name that may be a hash, longest ends first. */
export function findCandidates(path: string): Candidate[] {
  const slash = path.lastIndexOf("/");
  const folder = path.slice(0, slash + 1);
  const name = path.slice(slash + 1);
  if (!canCarryHash(name) || UUID.test(name)) return [];
  const found = new Map<string, Candidate>();
  const add = (place: Place, token: string, rest: string, isDoubtful = false): void => {
    if (!isLongEnough(token) || (isDoubtful && !KNOWN_LENGTHS.has(token.length))) return;
    const key = `${place} ${token}`;
    if (!found.has(key)) found.set(key, { token, folder, place, end: toEnd(rest) });
  };
  for (const { stem, isCut } of stemsOf(name)) {
    const rest = name.slice(stem.length).replace(TRANSFORM_MARK, "");
    for (const start of startsOf(stem))
      if (start === 0) add("whole", stem, rest, isCut);
      else if (/[A-Za-z0-9]/.test(stem.slice(0, start)))
        add("end", stem.slice(start), rest, isCut || isSeparator(stem[start - 2]));
    const parts = stem.split(/[._~-]/);
    if (parts.length > 1) add("start", parts[0] as string, rest, isCut);
    parts.slice(1, -1).forEach((part) => {
      const hex = part.replace(MARKED_HEX, "");
      if (LONG_HEX.test(hex)) add("middle", hex, name.slice(name.lastIndexOf(".")));
    });
  }
  return [...found.values()];
}

const isLongEnough = (token: string): boolean =>
  token.length >= SHORTEST && (token.length <= LONGEST || LONG_HEX.test(token));

/** A name without its endings: without the first, without two, and so on. */
function stemsOf(name: string): { readonly stem: string; readonly isCut: boolean }[] {
  let stem = name.replace(/\.(br|gz)$/i, "");
  const stems: string[] = [];
  while (stems.length < MOST_ENDINGS && ENDING.test(stem) && stem.lastIndexOf(".") > 0) {
    stem = stem.slice(0, stem.lastIndexOf("."));
    stems.push(stem);
  }
  const cut = stems.flatMap((one) =>
    MARKS.filter((mark) => mark.test(one)).map((mark) => one.replace(mark, "")),
  );
  return [
    ...stems.map((one) => ({ stem: one, isCut: false })),
    ...cut.map((one) => ({ stem: one, isCut: true })),
  ];
}

const isSeparator = (letter: string | undefined): boolean => letter !== undefined && /[._~-]/.test(letter);

/** Where a token can begin: with the name, and after each separator. */
function startsOf(stem: string): number[] {
  const last = stem.search(LAST_PART);
  const starts = new Set(last < 0 ? [0] : [0, last]);
  for (let at = Math.max(1, stem.length - LONGEST); at < stem.length; at++)
    if (isSeparator(stem[at - 1])) starts.add(at);
  return [...starts];
}

/** The end of a name, the same for all of a family: numbers in it are sizes and counts. */
const toEnd = (rest: string): string => rest.replace(/\.(br|gz)$/i, "").replace(/\d+/g, "#");
