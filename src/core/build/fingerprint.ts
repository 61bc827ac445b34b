import { byText } from "../model/names.ts";
import type { HashShape } from "../model/reasons.ts";

/**
 * Which file names carry a hash of their content. A wrong yes can't be taken back from browsers, a wrong no costs them a
 * revalidation: in doubt the answer is no.
 */
export interface FingerprintName {
  /** The part of the name that is the hash. */
  readonly token: string;
  readonly shape: HashShape;
  /** Whether the name alone shows it. A weak one counts where other names of its folder are of the same shape. */
  readonly strength: "strong" | "weak";
}

/** How many strong names of one folder and shape vouch for a weak one. */
const VOUCHERS = 2;

/** The names that carry a hash, by path; the same for any order of `paths`. */
export function findFingerprintNames(paths: readonly string[]): Map<string, FingerprintName> {
  const found = new Map<string, FingerprintName>();
  const strong = new Map<string, number>();
  for (const path of paths) {
    const name = parseFingerprint(path);
    if (!name) continue;
    found.set(path, name);
    if (name.strength === "strong") strong.set(family(path, name), (strong.get(family(path, name)) ?? 0) + 1);
  }
  for (const [path, name] of found) {
    if (name.strength === "weak" && (strong.get(family(path, name)) ?? 0) < VOUCHERS) found.delete(path);
  }
  return found;
}

const folderOf = (path: string): string => path.slice(0, path.lastIndexOf("/") + 1);
const family = (path: string, { shape }: FingerprintName): string =>
  `${folderOf(path)}\n${toShapeName(shape)}`;

/** The same for the same shape. */
export const toShapeName = ({ alphabet, length }: HashShape): string => `${alphabet} ${length}`;

/** Ends of names that say what kind of file it is; a hash stands before them. */
const SUFFIX =
  /\.(js|mjs|cjs|css|wasm|json|txt|LICENSE|chunk|lean|entry|module|min|bundle|br|gz|png|jpe?g|gif|webp|avif|svg|ico|woff2?|ttf|otf|eot|mp[34]|webm|ogg|m4a|wav|pdf|data|bin|glb)$/;

/** Kinds of files whose names bundlers never make immutable, or which change under their name (source maps). */
const NEVER = /\.(map|html?|xhtml|xml|ics|webmanifest|appcache|php)(\.(br|gz))?$/i;

/** Names that clients poll or that register themselves under a fixed name, hash or not. */
const POLLED = /(^|[-_.])(manifest|version|latest|sw|worker|serviceworker)(\.[a-z]+)+$/i;

/** The hash that a file's name or its innermost telling folder shows, if any. */
export function parseFingerprint(path: string): FingerprintName | undefined {
  const slash = path.lastIndexOf("/");
  const name = path.slice(slash + 1);
  if (NEVER.test(name)) return undefined;
  let stem = name;
  while (SUFFIX.test(stem)) stem = stem.replace(SUFFIX, "");
  if (stem === name) return undefined;
  const own = parseStem(stem);
  if (own) return POLLED.test(name) && own.strength === "weak" ? undefined : own;
  return POLLED.test(name) && !isBuildIdFolder(path) ? undefined : parseFolders(path.slice(0, slash + 1));
}

const UUID = /[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/i;
const HEX_LENGTHS = new Set([8, 16, 20, 32, 40, 64]);

function parseStem(stem: string): FingerprintName | undefined {
  if (UUID.test(stem)) return undefined;
  // A transform's own hash after the content's: `photo.BfL3s9aQ_Z1kXy2`.
  const twice = /^(.*[._~-][A-Za-z0-9_-]{8})_[A-Za-z0-9]{5,6}$/.exec(stem);
  return (
    parseTokens(stem) ??
    parseUrlSafe(stem) ??
    (twice?.[1] === undefined ? undefined : (parseTokens(twice[1]) ?? parseUrlSafe(twice[1])))
  );
}

/** Hashes of letters and digits alone, which stand between separators: last, or first, or as the whole name. */
function parseTokens(stem: string): FingerprintName | undefined {
  const parts = stem.split(/[._~-]/);
  const candidates = parts.length === 1 ? [stem] : [parts[parts.length - 1] ?? "", parts[0] ?? ""];
  for (const token of candidates) {
    const shape = shapeOfToken(token, parts.length === 1);
    if (shape) return { token, ...shape };
  }
  return undefined;
}

function shapeOfToken(token: string, whole: boolean): Omit<FingerprintName, "token"> | undefined {
  const { length } = token;
  if (/^[0-9a-f]+$/.test(token) && HEX_LENGTHS.has(length)) {
    const mixed = /[0-9]/.test(token) && /[a-f]/.test(token);
    if (isDate(token) || (whole && length === 8 && !mixed)) return undefined;
    return { shape: { alphabet: "hex", length }, strength: mixed ? "strong" : "weak" };
  }
  if (/^[A-Z2-7]{8}$/.test(token))
    return {
      shape: { alphabet: "base32", length },
      strength: /[2-7].*[A-Z]|[A-Z].*[2-7]/.test(token) ? "strong" : "weak",
    };
  return undefined;
}

/** `20240131`: eight digits that are a day of this century or the last. */
const isDate = (token: string): boolean => /^(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$/.test(token);

/** base64url hashes, which may contain the separators themselves: the last 8, 10 or 11 letters after a separator. */
function parseUrlSafe(stem: string): FingerprintName | undefined {
  for (const length of [8, 10, 11]) {
    const token = stem.slice(-length);
    const before = stem.slice(0, -length);
    if (token.length < length || !/^[A-Za-z0-9_-]+$/.test(token) || !/[._~-]$/.test(before)) continue;
    const shape = { alphabet: "base64url", length } as const;
    if (looksRandom(token)) return { token, shape, strength: "strong" };
    if (/[a-z]/.test(token) && /[A-Z0-9]/.test(token) && changes(token) >= 3) {
      return { token, shape, strength: "weak" };
    }
  }
  return undefined;
}

/** Whether letters, capitals and digits alternate as no word, date, size or version does. */
function looksRandom(token: string): boolean {
  const hasBoth = /[a-z]/.test(token) && /[A-Z]/.test(token);
  const words = token.split(/[-_]/).every((part) => part === "" || /^([A-Z]?[a-z]+|[A-Z]+|\d+)$/.test(part));
  return hasBoth && !words && changes(token) >= 4;
}

/** How often the kind of character changes from one to the next. */
function changes(token: string): number {
  const kinds = Array.from(token, (c) =>
    /[a-z]/.test(c) ? "a" : /[A-Z]/.test(c) ? "A" : /\d/.test(c) ? "0" : "-",
  );
  return kinds.filter((kind, i) => i > 0 && kind !== kinds[i - 1]).length;
}

/** Files that stand in a folder of the build's own naming: its name is a hash or a random build id. */
function parseFolders(folder: string): FingerprintName | undefined {
  const telling = folder.split("/").filter((part) => /^[0-9a-f]{32}$/.test(part) || isBuildId(part));
  const token = telling.at(-1);
  return token === undefined || !/\d/.test(token)
    ? undefined
    : { token, shape: { alphabet: "folder", length: token.length }, strength: "strong" };
}

/** A random id of 21 letters of the URL-safe alphabet. */
const isBuildId = (part: string): boolean => /^[A-Za-z0-9_-]{21}$/.test(part) && changes(part) >= 9;
const isBuildIdFolder = (path: string): boolean => folderOf(path).split("/").some(isBuildId);

/** Runs of letters that a hashed name could be in, and how many of them are remembered. */
const RUN = /[A-Za-z0-9_~.-]{8,}/g;
const MOST_REMEMBERED = 200_000;
const LONGEST_REMEMBERED = 200;

/**
 * A function that finds which of the named tokens stand in a text: as a word of their own, or as the end or a part of a
 * file name. The second half of the test: what no other file of the build names was not made by the bundler. What a run
 * of letters holds is remembered, since the pages of a site name the same files.
 */
export function createTokenFinder(tokens: ReadonlySet<string>): (text: string) => string[] {
  const remembered = new Map<string, readonly string[]>();
  const plain = [...tokens].some((token) => /^[a-z]+$/.test(token));
  const look = (run: string): readonly string[] => {
    const known = remembered.get(run);
    if (known) return known;
    if (remembered.size > MOST_REMEMBERED) remembered.clear();
    const found = [...new Set(partsOf(run))].filter((part) => tokens.has(part));
    if (run.length <= LONGEST_REMEMBERED) remembered.set(run, found);
    return found;
  };
  return (text) => {
    if (tokens.size === 0) return [];
    const found = new Set<string>();
    for (const [run] of text.matchAll(RUN)) {
      // A plain word holds no hash, unless one of them is a plain word itself.
      if (!plain && !/[A-Z0-9]/.test(run)) continue;
      for (const token of look(run)) found.add(token);
    }
    return [...found].sort(byText);
  };
}

function* partsOf(run: string): Generator<string> {
  for (const dotted of run.split(".")) {
    yield dotted;
    yield* dotted.split(/[-_~]/);
    for (const length of [8, 10, 11]) if (dotted.length > length) yield dotted.slice(-length);
    const twice = /^(.*)_[A-Za-z0-9]{5,6}$/.exec(dotted)?.[1];
    if (twice !== undefined) {
      yield twice;
      for (const length of [8, 10, 11]) if (twice.length > length) yield twice.slice(-length);
    }
  }
}
