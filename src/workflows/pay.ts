import { selectOwed } from "../core/edges/stale-addresses.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { OwedInvalidation } from "../core/model/release.ts";
import { askEdges } from "../perform/invalidate.ts";
import { needsOf, type Place, type Visit } from "./run.ts";

/** What the edges of a place are asked for, so that all of these addresses go. */
export const toRequests = (
  place: Place,
  owed: readonly OwedInvalidation[],
  answering: readonly Parcel[],
): EdgeInvalidation[] =>
  selectOwed(owed, needsOf(place), { answering, addressRules: place.siteRules.addressRules });

/** Asks edges, unless somebody stops the run meanwhile. @returns the names of those that have confirmed */
export const ask = ({ run, place }: Visit, requests: readonly EdgeInvalidation[]): Promise<Set<string>> =>
  run.interruption.orStop(askEdges({ ...run, run: run.name, edges: place.edges }, "invalidate", requests));

/** What stays owed when edges were asked for it. */
export interface Payment {
  readonly left: readonly OwedInvalidation[];
  /** Whether every edge of the settings has confirmed. */
  readonly isConfirmed: boolean;
}

/** Asks edges for what they owe. */
export async function pay(
  visit: Visit,
  owed: readonly OwedInvalidation[],
  answering: readonly Parcel[],
): Promise<Payment> {
  const requests = toRequests(visit.place, owed, answering);
  const confirmed = await ask(visit, requests);
  return {
    left: owed.filter(({ edge }) => !confirmed.has(edge)),
    isConfirmed: requests.every(({ edge }) => confirmed.has(edge)),
  };
}
