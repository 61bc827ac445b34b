import type { ObjectKey, Sha256 } from "../../model/names.ts";
import type { FingerprintName, HashShape, RoleReason } from "../../model/reasons.ts";
import type { Role } from "../../model/role.ts";
import { findCandidates } from "./candidates.ts";
import { findFingerprintNames } from "./find.ts";
import { bitsOf } from "./alphabets.ts";

export interface FingerprintFacts {
  readonly files: readonly { readonly path: ObjectKey; readonly hash: Sha256 }[];
  /** What the names show, by path. */
  readonly names: ReadonlyMap<ObjectKey, FingerprintName>;
  /** Hash tokens that some other file of the build names, each with the first such file. */
  readonly namedTokens: ReadonlyMap<string, ObjectKey>;
  /** What earlier releases had under each key. */
  readonly earlier: ReadonlyMap<ObjectKey, { readonly hash: Sha256; readonly role: Role }>;
}

type FingerprintReason = Extract<RoleReason, { code: "fingerprint" }>;

/** How many names of a shape other files must name before one that nobody names is believed as well. */
const NAMED_BESIDE = 5;
/** As long as this a hash is not met by chance. */
const LONG_BITS = 60;

/** The files whose name carries a hash, with the reason to believe it: the name alone is none. */
export function decideFingerprints(facts: FingerprintFacts): Map<ObjectKey, FingerprintReason> {
  const { files, names, namedTokens, earlier } = facts;
  const named = new Map<string, number>();
  for (const [path, { token, shape }] of names)
    if (namedTokens.has(token)) named.set(besideOf(path, shape), (named.get(besideOf(path, shape)) ?? 0) + 1);
  const findEarlier = createEarlierFinder(facts);
  const decided = new Map<ObjectKey, FingerprintReason>();
  for (const { path, hash } of files) {
    const known = earlier.get(path);
    // Bytes that changed under this name once will do so again; only what was promised to be immutable is a matter for a guard.
    if (known && known.hash !== hash && known.role !== "fingerprinted") continue;
    const name = names.get(path);
    const believe = ({ token, shape, alike }: Carried, by: FingerprintReason["by"]): void => {
      decided.set(path, { code: "fingerprint", token, shape, alike, by });
    };
    const namedIn = name?.strength === "shown" ? namedTokens.get(name.token) : undefined;
    const before = namedIn === undefined ? findEarlier(path, hash) : undefined;
    if (name && namedIn !== undefined) believe(name, { namedIn });
    else if (
      name?.strength === "shown" &&
      isLong(name.shape) &&
      (named.get(besideOf(path, name.shape)) ?? 0) >= NAMED_BESIDE
    )
      believe(name, "family");
    else if (before) believe(before, { changedSince: before.key });
  }
  return decided;
}

type Carried = Pick<FingerprintName, "token" | "shape" | "alike">;

const isLong = ({ alphabet, length }: HashShape): boolean =>
  alphabet !== "folder" && length * bitsOf(alphabet) >= LONG_BITS;

const besideOf = (path: ObjectKey, { alphabet, length }: HashShape): string =>
  `${path.slice(0, path.indexOf("/") + 1)} ${alphabet} ${length}`;

/**
 * Finds the file of an earlier release that a new one took the place of: the same name but for a hash, and other bytes. One
 * whose hash could be a word counts where the earlier one was immutable. A name that is nothing but the hash took no place.
 */
function createEarlierFinder({
  files,
  names,
  earlier,
}: FingerprintFacts): (path: ObjectKey, hash: Sha256) => (Carried & { readonly key: ObjectKey }) | undefined {
  const present = new Set(files.map(({ path }) => path));
  const gone = [...earlier.keys()].filter((key) => !present.has(key));
  const before = new Map<string, Carried & { readonly key: ObjectKey }>();
  for (const [key, name] of findFingerprintNames(gone)) {
    const template = toTemplate(key, name.token);
    if (template !== undefined) before.set(template, { ...name, key });
  }
  return (path, hash) => {
    const own = names.get(path);
    const tokens = own ? [own.token] : findCandidates(path).map(({ token }) => token);
    for (const token of tokens) {
      const found = before.get(toTemplate(path, token) ?? "");
      if (!found || earlier.get(found.key)?.hash === hash) continue;
      if (own || earlier.get(found.key)?.role === "fingerprinted") return { ...found, ...own, token };
    }
    return undefined;
  };
}

/** A name without its hash: the same for every version of a file whose hash is as long; undefined where nothing is left of it. */
function toTemplate(path: ObjectKey, token: string): string | undefined {
  const at = path.lastIndexOf(token);
  const isWhole = (at === 0 || path[at - 1] === "/") && path[at + token.length] === ".";
  if (isWhole) return undefined;
  return `${path.slice(0, at)}*${token.length}*${path.slice(at + token.length)}`;
}
