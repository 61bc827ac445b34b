import type { ReadBack } from "../model/edge.ts";
import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import { isTree } from "./cover/cover.ts";
import type { Sha256, UrlPath } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import { isPageLike } from "../model/role.ts";
import type { EdgeInvalidation } from "../model/plan.ts";
import { spread } from "../model/spread.ts";

export interface ReadBackFacts {
  /** What answers now. */
  readonly parcels: readonly Parcel[];
  /** What answered before. */
  readonly before: readonly Parcel[];
  readonly addressRules: AddressRules;
  /** Whether unknown addresses are answered with the entry page. */
  readonly clientRoutes: boolean;
}

/** So many addresses are read back at most. */
const MOST = 20;

/** A fair sample of what an edge was asked to forget: pages first, the entry page always, spread over the rest. */
export function selectReadBacks(
  { addresses, patterns }: Pick<EdgeInvalidation, "addresses" | "patterns">,
  facts: ReadBackFacts,
): ReadBack[] {
  if (patterns.length === 0) return [];
  const wanted = new Set(addresses.filter((address) => !isTree(address)));
  const now = byAddress(facts.parcels, wanted, facts.addressRules);
  const before = byAddress(facts.before, wanted, facts.addressRules);
  const isPage = (address: UrlPath): boolean =>
    isPageLike(now.get(address)?.role ?? before.get(address)?.role ?? "asset");
  const pages = [...wanted].filter(isPage);
  const others = [...wanted].filter((address) => !isPage(address));
  const { basePath } = facts.addressRules;
  const entry = wanted.has(basePath) ? [basePath] : [];
  const entryPage = facts.parcels.find(({ key }) => key === facts.addressRules.indexName);
  const unknown = (facts.clientRoutes ? entryPage?.hash : undefined) ?? "missing";
  const chosen = new Set([
    ...entry,
    ...spread(pages, (MOST * 3) / 4),
    ...spread(others, MOST - Math.min(pages.length, (MOST * 3) / 4)),
  ]);
  return [...chosen].flatMap((address): ReadBack[] => {
    const parcel = now.get(address);
    // Where visitors are sent elsewhere there is no content to compare.
    if (parcel?.redirectsTo !== undefined || before.get(address)?.redirectsTo !== undefined) return [];
    const right = parcel?.hash ?? unknown;
    const earlier = before.get(address)?.hash;
    return [{ address, right, wrong: earlier === undefined || earlier === right ? [] : [earlier] }];
  });
}

function byAddress(
  parcels: readonly Parcel[],
  wanted: ReadonlySet<UrlPath>,
  rules: AddressRules,
): Map<UrlPath, Parcel> {
  const found = new Map<UrlPath, Parcel>();
  for (const parcel of parcels)
    for (const address of listAddresses(parcel.key, rules))
      if (wanted.has(address)) found.set(address, parcel);
  return found;
}

/**
 * `stale`: what answered before is still served. `other`: neither; the edge may change what it passes on, or stand before
 * something else, and no purge helps against that.
 */
export function judgeReadBack(
  { right, wrong }: ReadBack,
  answer: { readonly status: number; readonly hash: Sha256 },
): "right" | "stale" | "other" {
  if (answer.status === 200 && answer.hash === right) return "right";
  if (answer.status === 404) return right === "missing" ? "right" : "other";
  return answer.status === 200 && wrong.includes(answer.hash) ? "stale" : "other";
}
