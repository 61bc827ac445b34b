import { selectOrphans, strikeConfirmed } from "../core/edges/owed.ts";
import { selectOwed } from "../core/edges/stale-addresses.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { DestinationState, OwedInvalidation } from "../core/model/release.ts";
import type { Clock } from "../ports/clock.ts";
import { openAsking } from "./asking.ts";
import { needsOf, type Place, type Visit } from "./run.ts";

/** What the edges of a place are asked for, so that all of these addresses go. */
export const toRequests = (
  place: Place,
  owed: readonly OwedInvalidation[],
  answering: readonly Parcel[],
): EdgeInvalidation[] =>
  selectOwed(owed, needsOf(place), { answering, addressRules: place.siteRules.addressRules });

/** What our records say of what stands there, as far as it does. */
export function selectAnswering({ waybill, listing }: DestinationState): Parcel[] {
  const standing = new Set(listing.map(({ key }) => key));
  return waybill ? [...waybill.standing, ...waybill.parcels].filter(({ key }) => standing.has(key)) : [];
}

/** When anything was last written there, in the monotonic time of this machine, by the clock of the store. */
export function readLastWriteMs({ listing, storeTimeMs }: DestinationState, clock: Clock): number {
  const newest = listing.reduce((latest, { modifiedMs }) => Math.max(latest, modifiedMs), 0);
  return clock.monotonicMs() - Math.max(0, storeTimeMs - newest);
}

export interface Debt {
  readonly owed: readonly OwedInvalidation[];
  /** What answers now. */
  readonly answering: readonly Parcel[];
  readonly state: DestinationState;
  /** Monotonic time. */
  readonly lastWriteMs: number;
}

/** What stays owed when edges were asked for it. */
export interface Payment {
  readonly left: readonly OwedInvalidation[];
  /** Whether every edge of the settings has confirmed, and none owes anything that they don't know. */
  readonly isConfirmed: boolean;
}

/** Asks edges for what they owe. */
export async function pay(visit: Visit, { owed, answering, state, lastWriteMs }: Debt): Promise<Payment> {
  const requests = toRequests(visit.place, owed, answering);
  const ask = openAsking(visit, { parcels: answering, state, edgeRules: state.waybill?.edgeRules });
  const outcomes = await ask({ phase: "invalidate", requests, lastWriteMs });
  const left = strikeConfirmed(owed, outcomes);
  for (const { edge, addresses } of selectOrphans(left, visit.place.edges))
    visit.run.report({ event: "warning", warning: { code: "edge-gone", edge, addresses: addresses.length } });
  return { left, isConfirmed: left.length === 0 };
}
