import { byText } from "../../model/names.ts";

/** How many runs of letters are remembered, and how long ones. */
const MOST_REMEMBERED = 200_000;
const LONGEST_REMEMBERED = 200;
/** A tool's letters before its hash; a transform's hash after it, and the size of a picture that was made in several. */
const MARKED = /^[g-z]{1,3}(?=[0-9a-f]{16})/;
const LEAST_MARKED = 16;
const AFTER = /^(_[A-Za-z0-9]{5,6}|[-_][0-9wx]{1,9})$/;
const SHORTEST = 6;

/**
 * A function that finds which of the named tokens stand in a text: as a word of their own, or as the end or a part of a
 * file name. The second half of the test: what no other file of the build names was not made by the bundler. What a run
 * of letters holds is remembered, since the pages of a site name the same files.
 */
export function createTokenFinder(tokens: ReadonlySet<string>): (text: string) => string[] {
  if (tokens.size === 0) return () => [];
  const remembered = new Map<string, readonly string[]>();
  const isPlain = [...tokens].some((token) => /^[a-z]+$/.test(token));
  // Those that hold a separator themselves are not found between separators.
  const lengths = lengthsOf([...tokens].filter((token) => /[_-]/.test(token)));
  const shortest = Math.min(...[...lengthsOf(tokens)]);
  // What a file name may be made of.
  const runs = new RegExp(`[A-Za-z0-9_~.-]{${shortest},}`, "g");
  const look = (run: string): readonly string[] => {
    const known = remembered.get(run);
    if (known) return known;
    if (remembered.size > MOST_REMEMBERED) remembered.clear();
    const found = findIn(run, tokens, lengths);
    if (run.length <= LONGEST_REMEMBERED) remembered.set(run, found);
    return found;
  };
  return (text) => {
    const found = new Set<string>();
    for (const [run] of text.matchAll(runs)) {
      // A plain word holds no hash, unless one of them is a plain word itself.
      if (!isPlain && !/[A-Z0-9]/.test(run)) continue;
      for (const token of look(run)) found.add(token);
    }
    return [...found].sort(byText);
  };
}

const lengthsOf = (tokens: Iterable<string>): Set<number> => new Set([...tokens].map(({ length }) => length));

/** The tokens that stand in a run: between separators, as ends of their lengths, and before a mark. */
function findIn(run: string, tokens: ReadonlySet<string>, lengths: ReadonlySet<number>): string[] {
  const found = new Set<string>();
  const look = (part: string): void => {
    if (tokens.has(part)) found.add(part);
  };
  const lookAtEnds = (stem: string): void => {
    for (const length of lengths) if (stem.length >= length) look(stem.slice(-length));
  };
  for (const dotted of run.split(".")) {
    if (dotted.length < SHORTEST) continue;
    for (const part of dotted.split(/[-_~]/)) {
      look(part);
      if (part.length > LEAST_MARKED && MARKED.test(part)) look(part.replace(MARKED, ""));
    }
    if (lengths.size === 0) continue;
    lookAtEnds(dotted);
    const last = Math.max(dotted.lastIndexOf("-"), dotted.lastIndexOf("_"));
    if (last > 0 && AFTER.test(dotted.slice(last))) lookAtEnds(dotted.slice(0, last));
  }
  return [...found];
}
