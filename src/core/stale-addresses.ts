import { listAddresses, type AddressRules } from "./addresses.ts";
import type { Change, Comparison } from "./compare.ts";
import { byText, type UrlPath } from "./model/names.ts";
import { isAssetLike } from "./model/parcel.ts";
import type { EdgeInvalidation } from "./model/plan.ts";
import type { OwedInvalidation } from "./model/release.ts";

export interface EdgeNeeds {
  readonly name: string;
  /** How many patterns one delivery may ask this edge for. */
  readonly mostPatterns: number;
  /** Whether it takes a pattern that stands for everything. */
  readonly takesEverything: boolean;
}

export interface StaleAddressFacts {
  readonly comparison: Comparison;
  readonly addresses: AddressRules;
  readonly edges: readonly EdgeNeeds[];
  readonly owed: readonly OwedInvalidation[];
}

/** What each edge must let go of after this delivery: what changes or goes now, and what it owes from before. */
export function selectInvalidations(facts: StaleAddressFacts): EdgeInvalidation[] {
  const changed = selectStaleAddresses(facts.comparison, facts.addresses);
  return facts.edges
    .map((edge): EdgeInvalidation => {
      const owed = facts.owed
        .filter(({ edge: name }) => name === edge.name)
        .flatMap(({ addresses }) => addresses);
      const addresses = [...new Set([...changed, ...owed])].sort(byText);
      const tooMany = addresses.length > edge.mostPatterns && edge.takesEverything;
      return { edge: edge.name, addresses, patterns: tooMany ? [`${facts.addresses.basePath}*`] : addresses };
    })
    .filter(({ addresses }) => addresses.length > 0);
}

/** Addresses under which an edge may hold a response that this delivery makes wrong. */
export function selectStaleAddresses(comparison: Comparison, rules: AddressRules): UrlPath[] {
  const changed = comparison.changes.filter(canBeHeld).map(({ parcel }) => parcel.key);
  const removed = comparison.stale
    .filter(({ recorded }) => !isAssetLike(recorded.role))
    .map(({ recorded }) => recorded.key);
  // What a run that died has written or removed is wrong at the edge all the same.
  const addresses = [...changed, ...removed, ...comparison.unrecorded, ...comparison.gone].flatMap((key) =>
    listAddresses(key, rules),
  );
  return [...new Set(addresses)].sort(byText);
}

/**
 * A new name that carries a hash was never asked for by a page. Any other new address may be held as 'not found', and
 * whatever stood there before may be held as it was.
 */
const canBeHeld = ({ kind, parcel }: Change): boolean =>
  !(parcel.role === "fingerprinted" && (kind === "new" || kind === "moved"));
