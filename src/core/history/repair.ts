import { longestPageFreshness } from "../model/cache-control.ts";
import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import type { Sha256 } from "../model/names.ts";
import type { ListedObject } from "../model/parcel.ts";
import type { Pointer, RetainedRelease, Waybill } from "../model/release.ts";

/** A waybill as it was found. */
export interface FoundWaybill {
  readonly waybill: Waybill;
  readonly waybillHash: Sha256;
}

export interface RepairFacts {
  readonly found: readonly FoundWaybill[];
  /** Runs whose own records say that they have not ended. */
  readonly unended: ReadonlySet<string>;
  readonly listing: readonly ListedObject[];
  readonly addressRules: AddressRules;
  readonly edges: readonly { readonly identity: string }[];
}

/**
 * Makes a pointer anew out of the waybills: the current release is the newest whose objects all stand as recorded, or
 * else the newest of a run that ended. What edges hold is not known any more, so everything is owed.
 * @returns undefined where there is no waybill to go by
 */
export function decideRepair(facts: RepairFacts): Pointer | undefined {
  const { addressRules, edges } = facts;
  const real = facts.found.filter(({ waybill }) => waybill.release > 0).sort(byAge);
  const ended = real.filter(({ waybill }) => !facts.unended.has(waybill.run));
  const current = real.find(({ waybill }) => stands(waybill, facts.listing)) ?? ended[0] ?? real[0];
  if (!current) return undefined;
  const { site, release, run, parcels, preview } = current.waybill;
  const isEnded = ({ waybill }: FoundWaybill): boolean => !facts.unended.has(waybill.run);
  // Of two with one number, one run was never the current one: it is the one that says itself that it did not end.
  const earlier = facts.found
    .filter(({ waybill }) => waybill.release < release)
    .sort(
      (a, b) =>
        b.waybill.release - a.waybill.release || Number(isEnded(b)) - Number(isEnded(a)) || byAge(a, b),
    );
  const numbers = new Set<number>();
  const retained = [current, ...earlier].filter(({ waybill }) => {
    const isFirst = !numbers.has(waybill.release);
    numbers.add(waybill.release);
    return isFirst;
  });
  const all = [...new Set(parcels.flatMap(({ key }) => listAddresses(key, addressRules)))].sort();
  return {
    ...{ site, release, run, announced: {} },
    ...(preview && { preview }),
    retained: retained.map(toRetained),
    owed: edges.map(({ identity }) => ({ edge: identity, addresses: all })),
  };
}

const byAge = (a: FoundWaybill, b: FoundWaybill): number =>
  b.waybill.release - a.waybill.release || (a.waybill.at < b.waybill.at ? 1 : -1);

function stands({ parcels }: Waybill, listing: readonly ListedObject[]): boolean {
  const etags = new Map(listing.map(({ key, etag }) => [key, etag]));
  return parcels.every(({ key, etag }) => etag === undefined || etags.get(key) === etag);
}

function toRetained({ waybill, waybillHash }: FoundWaybill): RetainedRelease {
  const { release, run, at, parcels } = waybill;
  return { release, run, waybillHash, at, pageFreshnessSeconds: longestPageFreshness(parcels) };
}
