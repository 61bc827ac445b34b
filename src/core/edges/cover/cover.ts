import { listCandidates, type Candidate, type MustGo } from "./candidates.ts";
import { findFirst, type LiveAddresses } from "./live-addresses.ts";
import { canReachQueries, isKeyed, takesWildcards, type EdgeAbilities } from "../../model/edge.ts";
import { byText, type UrlPath } from "../../model/names.ts";
import { pickCheapest } from "./cheapest-path.ts";

export interface Cover {
  /** Exact addresses and wildcards, sorted. */
  readonly patterns: readonly UrlPath[];
  /** What is lost besides: addresses whose held copies were right, and their bytes. */
  readonly collateral: { readonly addresses: number; readonly bytes: number };
  /** By how much, in bytes, a better set could beat this one at most; 0: there is none. */
  readonly gap: number;
}

/**
 * The set of patterns that covers every address that must go, within the edge's limits, at the least
 * `collateral bytes + worth × patterns`; of equal ones that with fewer patterns.
 *
 * Patterns that cover anything in common are nested, so the best set is a row of exact addresses and disjoint wildcards:
 * a cheapest path over the sorted addresses. The best wildcard over a run of addresses is their longest common prefix, so
 * there are fewer than twice as many candidates as addresses. Where the limits leave no set, the pattern limit gives way:
 * edges queue what does not fit.
 */
export function coverAddresses(
  mustGo: readonly MustGo[],
  live: LiveAddresses,
  abilities: EdgeAbilities,
): Cover {
  const takesAny = takesWildcards(abilities);
  const asked = takesAny ? selectOutermost(mustGo) : [];
  // More trees than the edge takes wildcards: one over all of it.
  const trees = asked.length > abilities.mostWildcards ? [toCommonTree(mustGo)] : asked;
  const rest = selectOutside(mustGo, trees);
  const limits = {
    patterns: Math.max(0, abilities.mostPatterns - trees.length),
    wildcards: takesAny ? abilities.mostWildcards - trees.length : 0,
  };
  if (limits.wildcards === 0 && takesAny && rest.length > limits.patterns)
    return toCover([toCommonTree(mustGo)], mustGo, live, 0);
  const addresses = rest.map(({ address }) => address);
  const candidates = listCandidates(rest, live, {
    wildcard: limits.wildcards > 0 ? abilities.wildcard : "none",
    coversQueries: isKeyed(abilities) && canReachQueries(abilities) && limits.wildcards > 0,
  });
  const picked = pickCheapest(candidates, { ...limits, worth: abilities.worth });
  const patterns = picked.steps.flatMap((step) => toPatterns(step, addresses));
  return toCover([...trees, ...patterns], mustGo, live, picked.gap);
}

/**
 * The patterns that take along nothing but what must go: each address by itself, and what is held under its queries where
 * that has to go as well.
 * @returns undefined where an edge can't be asked so, or not with so few patterns
 */
export function nameAddresses(
  mustGo: readonly MustGo[],
  live: LiveAddresses,
  abilities: EdgeAbilities,
): Cover | undefined {
  const trees = takesWildcards(abilities) ? selectOutermost(mustGo) : [];
  const coversQueries = isKeyed(abilities) && canReachQueries(abilities);
  const patterns = [...trees];
  for (const { address, hasQueries } of selectOutside(mustGo, trees))
    patterns.push(...(hasQueries && coversQueries ? [address, `${address}?*`] : [address]));
  const wildcards = patterns.filter(isTree).length;
  const isTooMany = patterns.length > abilities.mostPatterns || wildcards > abilities.mostWildcards;
  // A wildcard that must end after a slash can't reach the queries of one address.
  const isCoarse = coversQueries && abilities.wildcard === "segment" && wildcards > trees.length;
  return isTooMany || isCoarse ? undefined : toCover(patterns, mustGo, live, 0);
}

function toPatterns({ from, kind, length }: Candidate, addresses: readonly UrlPath[]): UrlPath[] {
  const first = addresses[from] as UrlPath;
  if (kind === "wildcard") return [`${first.slice(0, length)}*`];
  return kind === "withQueries" ? [first, `${first}?*`] : [first];
}

function toCover(
  patterns: readonly UrlPath[],
  mustGo: readonly MustGo[],
  live: LiveAddresses,
  gap: number,
): Cover {
  const unique = [...new Set(patterns)].sort(byText);
  return { patterns: unique, collateral: measureCollateral(unique, mustGo, live), gap };
}

/** What patterns take along besides what must go. Wildcards must be disjoint. */
function measureCollateral(
  patterns: readonly UrlPath[],
  mustGo: readonly MustGo[],
  live: LiveAddresses,
): Cover["collateral"] {
  const prefixes = patterns.filter(isTree).map(toPrefix);
  const all = prefixes.map((prefix) => live.sum(prefix));
  const isCovered = findBelow(prefixes);
  const wanted = mustGo.filter(({ address }) => isCovered(address));
  let [addresses, bytes] = [0, 0];
  for (const entry of all) [addresses, bytes] = [addresses + entry.addresses, bytes + entry.bytes];
  // Below a tree that must go everything must go.
  const trees = wanted.filter(({ address }) => isTree(address)).map(({ address }) => toPrefix(address));
  const isInTree = findBelow(trees);
  for (const tree of selectRoots(trees)) {
    const entry = live.sum(tree);
    [addresses, bytes] = [addresses - entry.addresses, bytes - entry.bytes];
  }
  for (const { address } of wanted) {
    if (isTree(address) || isInTree(address)) continue;
    const size = live.sizeOf(address);
    if (size !== undefined) [addresses, bytes] = [addresses - 1, bytes - size];
  }
  return { addresses, bytes };
}

/** Whether an address stands for all that begin so. */
export const isTree = (address: UrlPath): boolean => address.endsWith("*");
const toPrefix = (pattern: UrlPath): UrlPath => pattern.slice(0, -1);

/** Prefixes that no other one of them covers. */
const selectRoots = (prefixes: readonly UrlPath[]): UrlPath[] => {
  const roots: UrlPath[] = [];
  for (const prefix of [...new Set(prefixes)].sort(byText))
    if (!prefix.startsWith(roots.at(-1) ?? "\0")) roots.push(prefix);
  return roots;
};

/** Whether an address begins with one of these. Of prefixes that don't cover each other only the last before it can be its. */
function findBelow(prefixes: readonly UrlPath[]): (address: UrlPath) => boolean {
  const roots = selectRoots(prefixes);
  return (address) => {
    const at = findFirst(roots, address);
    const before = roots[at] === address ? address : roots[at - 1];
    return before !== undefined && address.startsWith(before);
  };
}

const selectOutermost = (mustGo: readonly MustGo[]): UrlPath[] =>
  selectRoots(mustGo.filter(({ address }) => isTree(address)).map(({ address }) => toPrefix(address))).map(
    (prefix) => `${prefix}*`,
  );

/** Addresses that no tree covers, sorted, each once; trees are left out where the edge can't be asked for them. */
function selectOutside(mustGo: readonly MustGo[], trees: readonly UrlPath[]): MustGo[] {
  const isInTree = findBelow(trees.map(toPrefix));
  const byAddress = new Map<UrlPath, MustGo>();
  for (const entry of mustGo) {
    if (isTree(entry.address) || isInTree(entry.address)) continue;
    if (entry.hasQueries || !byAddress.has(entry.address)) byAddress.set(entry.address, entry);
  }
  return [...byAddress.values()].sort((a, b) => byText(a.address, b.address));
}

/** The narrowest folder that holds everything. */
function toCommonTree(mustGo: readonly MustGo[]): UrlPath {
  const all = mustGo.map(({ address }) => (isTree(address) ? toPrefix(address) : address)).sort(byText);
  const [first = "/", last = "/"] = [all[0], all.at(-1)];
  let length = 0;
  while (length < first.length && first[length] === last[length]) length += 1;
  return `${first.slice(0, first.lastIndexOf("/", length - 1) + 1) || "/"}*`;
}
