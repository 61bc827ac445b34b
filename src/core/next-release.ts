import type { Analysis } from "./analysis.ts";
import type { DeliveryDecision } from "./delivery.ts";
import type { ObjectKey, Sha256 } from "./model/names.ts";
import { isAssetLike, type Parcel, type RecordedParcel } from "./model/parcel.ts";
import { phaseOf, targetOf, type Plan } from "./model/plan.ts";
import type { DestinationState, OwedInvalidation, Pointer, Waybill } from "./model/release.ts";

export interface NextReleaseFacts {
  readonly site: string;
  readonly run: string;
  readonly at: string;
  readonly by: string;
  readonly commit?: string;
  readonly note?: string;
  readonly sequence?: number;
  readonly parcels: readonly Parcel[];
  readonly analysis: Pick<Analysis, "routing">;
  readonly state: DestinationState;
  readonly decision: DeliveryDecision;
}

/**
 * The record of the release that a delivery makes.
 * @param etags of the objects that it wrote; a parcel that is yet to be written (a worker) is recorded without one
 */
export function toWaybill(facts: NextReleaseFacts, etags: ReadonlyMap<ObjectKey, string>): Waybill {
  const { decision, state, parcels } = facts;
  const unchanged = new Map(decision.comparison.unchanged.map(({ key, etag }) => [key, etag]));
  const toRecorded = ({
    key,
    hash,
    storedHash,
    size,
    headers,
    role,
    aliasOf,
    redirectsTo,
  }: Parcel): RecordedParcel => {
    const etag = etags.get(key) ?? unchanged.get(key);
    return {
      ...{ key, hash, storedHash, size, headers, role },
      ...(etag === undefined ? {} : { etag }),
      ...(aliasOf === undefined ? {} : { aliasOf }),
      ...(redirectsTo === undefined ? {} : { redirectsTo }),
    };
  };
  const previous = state.waybill?.release ?? 0;
  return {
    site: facts.site,
    release: decision.plan.release,
    run: facts.run,
    previous,
    at: facts.at,
    by: facts.by,
    ...(facts.commit === undefined ? {} : { commit: facts.commit }),
    ...(facts.note === undefined ? {} : { note: facts.note }),
    ...(facts.sequence === undefined ? {} : { sequence: facts.sequence }),
    ...(facts.analysis.routing.length === 0 ? {} : { routing: facts.analysis.routing }),
    parcels: parcels.map(toRecorded),
    // Those that this very delivery clears are still listed: it may die before it gets there.
    standing: decision.comparison.stale
      .filter(({ recorded }) => isAssetLike(recorded.role))
      .map(({ recorded }) => ({ ...recorded, lastIn: recorded.lastIn ?? previous })),
  };
}

/** The pointer to a release; what its edges are about to be asked for stands in it as owed. */
export function toPointer(
  { site, run, at, decision, state }: NextReleaseFacts,
  waybillHash: Sha256,
): Pointer {
  const { plan, retained, pageFreshnessSeconds } = decision;
  const pending = new Set(phaseOf(plan, "announce").groups.flatMap(({ steps }) => steps.map(targetOf)));
  const announced = Object.entries(state.pointer?.announced ?? {}).filter(([key]) => !pending.has(key));
  return {
    site,
    release: plan.release,
    run,
    retained: [{ release: plan.release, run, waybillHash, at, pageFreshnessSeconds }, ...retained],
    owed: toOwed(plan, state),
    announced: Object.fromEntries(announced),
  };
}

/** What edges are about to be asked for, and what those owe that are no longer in the settings: not forgotten in silence. */
function toOwed(
  { unmaskings, invalidations, lateInvalidations }: Plan,
  state: DestinationState,
): OwedInvalidation[] {
  const asked = [...unmaskings, ...invalidations, ...lateInvalidations];
  const edges = [...new Set(asked.map(({ edge }) => edge))];
  const others = (state.pointer?.owed ?? []).filter(({ edge }) => !edges.includes(edge));
  const toEntry = (edge: string): OwedInvalidation => {
    const addresses = asked
      .filter((request) => request.edge === edge)
      .flatMap((request) => request.addresses);
    return { edge, addresses: [...new Set(addresses)].sort() };
  };
  return [...edges.map(toEntry), ...others];
}
