import type { TlsFault } from "../model/tls-fault.ts";
import { isPolled } from "../model/polled.ts";
import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import type { DeliveryDecision } from "./decide.ts";
import type { UrlPath } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import { isAssetLike } from "../model/role.ts";
import { phaseOf, stepsOf } from "../model/plan.ts";
import type { Unseen } from "../model/warning.ts";

/** An address, and the bytes that should come back, as built or as stored. */
export interface ProbeWish {
  readonly address: UrlPath;
  readonly hashes: readonly string[];
}

/**
 * What is read back the visitors' way before pages are switched: the smallest object that was just written, and the
 * smallest that stood before, to tell 'new objects are not visible' from 'nothing of this store is'.
 */
export function selectProbe(
  { plan, comparison }: Pick<DeliveryDecision, "plan" | "comparison">,
  addressRules: AddressRules,
): { readonly fresh: ProbeWish; readonly before: ProbeWish | undefined } | undefined {
  const sent = stepsOf(phaseOf(plan, "stock")).flatMap((step) => (step.do === "send" ? [step.parcel] : []));
  // What a run that died (or was stopped by this very look) had stocked is as new as what this one sent.
  const unrecorded = new Set(comparison.unrecorded);
  const stocked = comparison.unchanged.filter(({ key, role }) => unrecorded.has(key) && isAssetLike(role));
  const fresh = findSmallest([...sent, ...stocked]);
  if (!fresh) return undefined;
  const before = findSmallest(
    comparison.unchanged.filter(({ key }) => !isPolled(key) && !unrecorded.has(key)),
  );
  return { fresh: toWish(fresh, addressRules), before: before && toWish(before, addressRules) };
}

const findSmallest = (parcels: readonly Parcel[]): Parcel | undefined =>
  parcels
    .filter(({ redirectsTo, size }) => redirectsTo === undefined && size > 0)
    .reduce<Parcel | undefined>(
      (least, parcel) => (least && least.size <= parcel.size ? least : parcel),
      undefined,
    );

const toWish = ({ key, hash, storedHash }: Parcel, rules: AddressRules): ProbeWish => ({
  address: listAddresses(key, rules)[0] as UrlPath,
  hashes: [hash, storedHash],
});

export interface ProbeAnswer {
  readonly address: UrlPath;
  /** Undefined: nobody answered. */
  readonly status: number | undefined;
  readonly isRight: boolean;
  /** Why there is no safe connection, where that is why nobody answered. */
  readonly tls?: TlsFault | undefined;
}

/** What the answers mean. Only 'what stood before can be read, what was just written can't' stops a delivery. */
export function judgeProbe(
  fresh: ProbeAnswer,
  before: ProbeAnswer | undefined,
): { readonly severity: "warning" | "error"; readonly unseen: Unseen } | undefined {
  if (fresh.isRight) return undefined;
  const { address, status, tls } = fresh;
  const got = status === undefined ? "nothing" : status === 200 ? "other-bytes" : { status };
  return before?.isRight === true
    ? { severity: "error", unseen: { address, got, before: before.address } }
    : { severity: "warning", unseen: { address, got, ...(tls && { tls }) } };
}
