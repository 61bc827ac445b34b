import { byText } from "../../model/names.ts";

/** Runs of letters that a hashed name could be in, and how many of them are remembered. */
const RUN = /[A-Za-z0-9_~.-]{6,}/g;
const MOST_REMEMBERED = 200_000;
const LONGEST_REMEMBERED = 200;

/**
 * A function that finds which of the named tokens stand in a text: as a word of their own, or as the end or a part of a
 * file name. The second half of the test: what no other file of the build names was not made by the bundler. What a run
 * of letters holds is remembered, since the pages of a site name the same files.
 */
export function createTokenFinder(tokens: ReadonlySet<string>): (text: string) => string[] {
  const remembered = new Map<string, readonly string[]>();
  const isPlain = [...tokens].some((token) => /^[a-z]+$/.test(token));
  const lengths = new Set([...tokens].filter((token) => /[_-]/.test(token)).map(({ length }) => length));
  const look = (run: string): readonly string[] => {
    const known = remembered.get(run);
    if (known) return known;
    if (remembered.size > MOST_REMEMBERED) remembered.clear();
    const found = [...new Set(partsOf(run, lengths))].filter((part) => tokens.has(part));
    if (run.length <= LONGEST_REMEMBERED) remembered.set(run, found);
    return found;
  };
  return (text) => {
    if (tokens.size === 0) return [];
    const found = new Set<string>();
    for (const [run] of text.matchAll(RUN)) {
      // A plain word holds no hash, unless one of them is a plain word itself.
      if (!isPlain && !/[A-Z0-9]/.test(run)) continue;
      for (const token of look(run)) found.add(token);
    }
    return [...found].sort(byText);
  };
}

/** The parts of a run that may be a token: between separators, its ends of certain lengths, and what stands before a mark. */
function* partsOf(run: string, lengths: ReadonlySet<number>): Generator<string> {
  for (const dotted of run.split(".")) {
    yield dotted;
    for (const part of dotted.split(/[-_~]/)) {
      yield part;
      yield part.replace(/^[g-z]{1,3}(?=[0-9a-f]{16})/, "");
    }
    for (const stem of [
      dotted,
      dotted.replace(/_[A-Za-z0-9]{5,6}$/, ""),
      dotted.replace(/[-_][0-9wx]{1,9}$/, ""),
    ])
      for (const length of lengths) if (stem.length >= length) yield stem.slice(-length);
  }
}
