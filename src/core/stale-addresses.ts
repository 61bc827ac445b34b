import { listAddresses, type AddressRules } from "./addresses.ts";
import type { Change, Comparison } from "./compare.ts";
import { byText, type ObjectKey, type UrlPath } from "./model/names.ts";
import { isAssetLike } from "./model/parcel.ts";
import type { EdgeInvalidation } from "./model/plan.ts";
import type { OwedInvalidation } from "./model/release.ts";

/** An edge, and what it can be asked for in one delivery. */
export interface EdgeNeeds {
  readonly name: string;
  readonly mostPatterns: number;
  readonly takesEverything: boolean;
}

export interface StaleAddressFacts {
  readonly comparison: Comparison;
  readonly addresses: AddressRules;
  readonly edges: readonly EdgeNeeds[];
  readonly owed: readonly OwedInvalidation[];
  /** Patterns of addresses that answer differently from now on; only edges that take patterns can be asked. */
  readonly patterns: readonly UrlPath[];
}

export interface Invalidations {
  /** For new assets, before a page that names them is written: somebody may have asked for them too early. */
  readonly unmaskings: readonly EdgeInvalidation[];
  /** For what stands when the release is recorded. */
  readonly invalidations: readonly EdgeInvalidation[];
  /** For workers, which are written after that: an address is invalidated only once its final state stands (O5). */
  readonly lateInvalidations: readonly EdgeInvalidation[];
}

/** What each edge must let go of in this delivery: what comes, changes or goes now, and what it owes from before. */
export function selectInvalidations(facts: StaleAddressFacts): Invalidations {
  const { comparison, addresses, edges } = facts;
  const early = comparison.changes.filter(isStocked).map(({ parcel }) => parcel.key);
  const late = comparison.changes.filter(isAnnounced).map(({ parcel }) => parcel.key);
  const others = new Set([...early, ...late]);
  const removed = comparison.stale
    .filter(({ recorded }) => !isAssetLike(recorded.role))
    .map(({ recorded }) => recorded.key);
  // What a run that died has written or removed is wrong at the edge all the same.
  const changed = [
    ...comparison.changes.map(({ parcel }) => parcel.key),
    ...removed,
    ...comparison.unrecorded,
    ...comparison.gone,
  ];
  const now = changed.filter((key) => !others.has(key));
  const ask = (
    keys: readonly ObjectKey[],
    more: (edge: EdgeNeeds) => readonly UrlPath[] = () => [],
  ): EdgeInvalidation[] => {
    const all = keys.flatMap((key) => listAddresses(key, addresses));
    return edges.flatMap((edge) => toInvalidation(edge, [...all, ...more(edge)], addresses));
  };
  const alsoOf = ({ name, takesEverything }: EdgeNeeds): UrlPath[] => [
    ...facts.owed.filter((entry) => entry.edge === name).flatMap((entry) => entry.addresses),
    ...(takesEverything ? facts.patterns : []),
  ];
  return { unmaskings: ask(early), invalidations: ask(now, alsoOf), lateInvalidations: ask(late) };
}

/** Whether a change is written before any page: a new asset, which overwrites nothing. */
export const isStocked = (change: Change): boolean =>
  change.listed === undefined &&
  (isAssetLike(change.parcel.role) || (change.parcel.role === "worker" && !isAnnounced(change)));

/** Whether a change is written only when the edges have confirmed the pages: a worker that visitors may already have. */
export const isAnnounced = ({ parcel, listed }: Change): boolean =>
  // A manifest that no visitor has can't send anyone to an old page, and new pages name it.
  parcel.role === "worker" && (listed !== undefined || !/manifest/i.test(parcel.key));

function toInvalidation(
  { name, mostPatterns, takesEverything }: EdgeNeeds,
  all: readonly UrlPath[],
  { basePath }: AddressRules,
): EdgeInvalidation[] {
  const addresses = [...new Set(all)].sort(byText);
  if (addresses.length === 0) return [];
  const tooMany = addresses.length > mostPatterns && takesEverything;
  return [{ edge: name, addresses, patterns: tooMany ? [`${basePath}*`] : addresses }];
}
