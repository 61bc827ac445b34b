/**
 * A glob over the build's paths: `*` stays within a folder, `**` crosses folders, `?` is one letter, `{a,b}` and `[abc]`
 * are choices, `\\` makes the next letter a plain one. Files whose name starts with a dot match like others.
 *
 * Made for this instead of a regular expression, which takes exponential time on some globs and names: a name is read at most
 * once for each part of the glob.
 */
export function matcher(glob: string): (path: string) => boolean {
  const patterns = expandBraces(glob).map((pattern) => parsePath(pattern));
  return (path) => {
    const names = path.split("/");
    return patterns.some((pattern) => matchesAll(pattern, names, isNameOf));
  };
}

/** More choices than these are a mistake: each brace multiplies them. */
export const MOST_CHOICES = 1000;

/** How many globs without braces one with braces stands for; more than `MOST_CHOICES` are not counted. */
export const countChoices = (glob: string): number => expandBraces(glob).length;

/** Each choice written out: `a.{js,css}` to `a.js` and `a.css`. A brace without a comma is a plain letter. */
function expandBraces(glob: string): string[] {
  const done: string[] = [];
  const open = [glob];
  for (let next = open.pop(); next !== undefined && done.length <= MOST_CHOICES; next = open.pop()) {
    const brace = findBrace(next);
    if (!brace) done.push(next);
    else
      for (const choice of brace.choices.reverse())
        open.push(next.slice(0, brace.start) + choice + next.slice(brace.end));
  }
  return done;
}

interface Brace {
  readonly start: number;
  /** Behind it. */
  readonly end: number;
  readonly choices: string[];
}

/** The first brace that is closed and has a comma of its own. */
function findBrace(glob: string): Brace | undefined {
  const opened: { readonly start: number; readonly commas: number[] }[] = [];
  let first: Brace | undefined;
  for (let at = 0; at < glob.length; at++) {
    const letter = glob[at];
    if (letter === "\\") at += 1;
    else if (letter === "{") opened.push({ start: at, commas: [] });
    else if (letter === ",") opened.at(-1)?.commas.push(at);
    else if (letter === "}") {
      const brace = opened.pop();
      if (brace && brace.commas.length > 0 && (!first || brace.start < first.start))
        first = { start: brace.start, end: at + 1, choices: cut(glob, [brace.start, ...brace.commas, at]) };
    }
  }
  return first;
}

/** What stands between places of a text. */
const cut = (text: string, places: readonly number[]): string[] =>
  places.slice(1).map((end, index) => text.slice((places[index] as number) + 1, end));

/** One letter of a name, as a glob says it. */
type Letter =
  { readonly is: "any" } | { readonly is: "star" } | { readonly is: "one"; readonly of: LetterTest };
type LetterTest = (letter: string) => boolean;
/** One name between slashes: letters, or any number of folders. */
type NamePattern = readonly Letter[] | "folders";

/** `x/**` is a folder with all that is in it; where a star names the folder, only what is in it: the folder may be any file. */
function parsePath(pattern: string): NamePattern[] {
  const names = pattern.split("/").map(parseName);
  const [before, last] = names.slice(-2);
  const isStarred = before !== undefined && before !== "folders" && before.at(-1)?.is === "star";
  return last === "folders" && isStarred ? [...names, [{ is: "star" }]] : names;
}

function parseName(text: string): NamePattern {
  if (text === "**") return "folders";
  const letters: Letter[] = [];
  for (let at = 0; at < text.length; at++) {
    const letter = text[at] as string;
    const set = letter === "[" ? parseSet(text, at) : undefined;
    if (letter === "*") {
      if (letters.at(-1)?.is !== "star") letters.push({ is: "star" });
    } else if (letter === "?") letters.push({ is: "any" });
    else if (set) {
      letters.push({ is: "one", of: set.test });
      at = set.end;
    } else {
      const plain = letter === "\\" && at + 1 < text.length ? (text[++at] as string) : letter;
      letters.push({ is: "one", of: (other) => other === plain });
    }
  }
  return letters;
}

/** `[abc]`, `[a-z]`, `[!a]`; undefined where it is not closed. */
function parseSet(
  text: string,
  start: number,
): { readonly test: LetterTest; readonly end: number } | undefined {
  const end = text.indexOf("]", start + 2);
  if (end < 0) return undefined;
  const isNot = /[!^]/.test(text[start + 1] as string);
  const within = text.slice(start + (isNot ? 2 : 1), end);
  const ranges: (readonly [string, string])[] = [];
  for (let at = 0; at < within.length; at++) {
    const from = within[at] as string;
    const isRange = within[at + 1] === "-" && at + 2 < within.length;
    ranges.push([from, isRange ? (within[at + 2] as string) : from]);
    if (isRange) at += 2;
  }
  const isIn: LetterTest = (letter) => ranges.some(([from, to]) => letter >= from && letter <= to);
  return { test: isNot ? (letter) => !isIn(letter) : isIn, end };
}

const isNameOf = (pattern: NamePattern, name: string): boolean | "many" => {
  if (pattern === "folders") return "many";
  // A star alone stands for a name, and no name is empty.
  if (name === "") return pattern.length === 0;
  return matchesAll(pattern, name, isLetterOf);
};

const isLetterOf = (pattern: Letter, letter: string): boolean | "many" =>
  pattern.is === "star" ? "many" : pattern.is === "any" || pattern.of(letter);

/**
 * Whether parts match one after the other, where one that stands for `many` takes as few as will do. Of these only the last
 * one ever has to take more: what those before it have taken is as little as they can.
 */
function matchesAll<P, T>(
  pattern: readonly P[],
  text: ArrayLike<T>,
  judge: (part: P, piece: T) => boolean | "many",
): boolean {
  const isMany = (part: P | undefined): boolean => part !== undefined && judge(part, text[0] as T) === "many";
  let [at, read, many, mark] = [0, 0, -1, 0];
  while (read < text.length) {
    const part = pattern[at];
    const verdict = part === undefined ? false : judge(part, text[read] as T);
    if (verdict === "many") {
      [many, mark] = [at, read];
      at += 1;
    } else if (verdict) {
      at += 1;
      read += 1;
    } else if (many >= 0) {
      mark += 1;
      [at, read] = [many + 1, mark];
    } else return false;
  }
  while (isMany(pattern[at])) at += 1;
  return at === pattern.length;
}
