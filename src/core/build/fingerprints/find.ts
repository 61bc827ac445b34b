import type { FingerprintName } from "../../model/reasons.ts";
import { canCarryHash, findCandidates, PLACES, type Candidate } from "./candidates.ts";
import { familyOf, judgeFamilies, type JudgedFamily } from "./families.ts";
import { costAsPeopleName } from "./people-names.ts";

/**
 * Which file names carry a hash of their content, by path; the same for any order of `paths`. A wrong yes can't be taken back
 * from browsers, a wrong no costs them a revalidation: in doubt the answer is no.
 *
 * Names come in families: the same folder, end and length, and a token at the same place. Of each token it is asked how much
 * likelier it is as random letters of an alphabet than as a name that people give, in nats; what the tokens beside it say
 * counts with it. Shapes that bundlers are not known for must be shown by several scripts or styles.
 */
export function findFingerprintNames(paths: readonly string[]): Map<string, FingerprintName> {
  const candidates = new Map(paths.map((path) => [path, findCandidates(path)]));
  const families = judgeFamilies(candidates.values());
  const alike = countAlike(families);
  const found = new Map<string, FingerprintName>();
  for (const [path, own] of candidates) {
    const name = choose(own, families, "shown") ?? findInFolders(path) ?? choose(own, families, "possible");
    if (name) found.set(path, "family" in name ? toName(name, alike) : name);
  }
  return found;
}

/** How many hashes stand beside each other, by folder, place and shape. */
function countAlike(families: ReadonlyMap<string, JudgedFamily>): Map<string, number> {
  const tokens = new Map<string, Set<string>>();
  for (const { beside, shown } of families.values())
    tokens.set(beside, new Set([...(tokens.get(beside) ?? []), ...shown]));
  return new Map([...tokens].map(([beside, all]) => [beside, all.size]));
}

interface Choice {
  readonly token: string;
  readonly family: JudgedFamily;
  readonly strength: FingerprintName["strength"];
}

function toName({ token, family, strength }: Choice, alike: ReadonlyMap<string, number>): FingerprintName {
  const { alphabet, length, beside } = family;
  return { token, shape: { alphabet: alphabet.name, length }, alike: alike.get(beside) ?? 1, strength };
}

/** Of the parts of a name that may be its hash the one that is: by place, then by how many are beside it. */
function choose(
  own: readonly Candidate[],
  families: ReadonlyMap<string, JudgedFamily>,
  strength: FingerprintName["strength"],
): Choice | undefined {
  let best: (Choice & { readonly rank: readonly number[] }) | undefined;
  for (const candidate of own) {
    const { token, place } = candidate;
    const family = families.get(familyOf(candidate));
    if (!family?.[strength].has(token)) continue;
    const rank = [-PLACES.indexOf(place), family.shown.size, family.tokens.get(token)?.nats ?? 0];
    if (!best || isHigher(rank, best.rank)) best = { token, family, strength, rank };
  }
  return best;
}

function isHigher(one: readonly number[], other: readonly number[]): boolean {
  const at = one.findIndex((value, index) => value !== other[index]);
  return at >= 0 && (one[at] as number) > (other[at] as number);
}

const BUILD_ID = /^[A-Za-z0-9_-]{21}$/;
/** How much likelier a build id must be as random letters than as a name of people, in nats. */
const BUILD_ID_SURENESS = 5;

/** Files that stand in a folder of the build's own naming: its name is a hash or a random build id. */
function findInFolders(path: string): FingerprintName | undefined {
  if (!canCarryHash(path)) return undefined;
  const folders = path.split("/").slice(0, -1);
  const token = folders.findLast(
    (part) => /\d/.test(part) && (/^[0-9a-f]{32}$/.test(part) || isBuildId(part)),
  );
  if (token === undefined) return undefined;
  return { token, shape: { alphabet: "folder", length: token.length }, alike: 1, strength: "shown" };
}

const isBuildId = (part: string): boolean =>
  BUILD_ID.test(part) && costAsPeopleName(part) > part.length * Math.log(64) + BUILD_ID_SURENESS;
