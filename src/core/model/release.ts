import type { ObjectKey, Sha256, UrlPath } from "./names.ts";
import type { RoutingRule } from "./website.ts";
import type { ImmutableNames } from "../immutable-names.ts";
import type { ListedObject, Parcel, RecordedParcel } from "./parcel.ts";

/** The record of a release. `docs/formats.md` shows it by example. */
export interface Waybill {
  readonly site: string;
  readonly release: number;
  readonly run: string;
  /** The release before it; 0: none. */
  readonly previous: number;
  /** When it was made, ISO 8601 UTC. */
  readonly at: string;
  readonly by: string;
  readonly commit?: string;
  readonly note?: string;
  /** The number that this build was given, where builds may come out of order. */
  readonly sequence?: number;
  /** The release whose parcels it put back; absent: it came from a build. */
  readonly redelivers?: number;
  /** Rules that this release gave the website endpoint; absent: none. */
  readonly routing?: readonly RoutingRule[];
  readonly parcels: readonly RecordedParcel[];
  /** Our objects that still stand though this release does not list them; each has `lastIn`. */
  readonly standing: readonly RecordedParcel[];
}

/** A release that the pointer names. */
export interface RetainedRelease {
  readonly release: number;
  readonly run: string;
  readonly waybillHash: Sha256;
  readonly at: string;
  /** The longest time that an edge may reuse a page of it. */
  readonly pageFreshnessSeconds: number;
}

/** Addresses that an edge may still hold wrongly. */
export interface OwedInvalidation {
  /** The edge's name within the destination. */
  readonly edge: string;
  readonly addresses: readonly UrlPath[];
}

/** `.courier/current.json`: the one object whose change makes a release the current one. */
export interface Pointer {
  readonly site: string;
  readonly release: number;
  readonly run: string;
  /** Newest first; the first is the current release. */
  readonly retained: readonly RetainedRelease[];
  readonly owed: readonly OwedInvalidation[];
  /** ETags of objects that were written after the waybill (workers), by key. */
  readonly announced: Readonly<Record<ObjectKey, string>>;
  /** Hashes of stored bytes that were removed for good; absent: none. */
  readonly forgotten?: readonly Sha256[];
}

/**
 * The record that a run leaves before its first write: what it is about to write, and which addresses an edge may hold
 * wrongly from then on. It goes at the run's end; one that stands tells of a run that died.
 */
export interface OpenDelivery {
  readonly site: string;
  readonly run: string;
  /** The release that it was about to make; its own number where it makes none. */
  readonly release: number;
  /** When it began, ISO 8601 UTC. */
  readonly at: string;
  readonly by: string;
  /** What it was about to write. */
  readonly parcels: readonly Parcel[];
  /** Objects of others that it was about to write over, as they stood: release 0 takes them. */
  readonly originals: readonly RecordedParcel[];
  readonly owed: readonly OwedInvalidation[];
}

/** All that is known of a destination before a delivery. */
export interface DestinationState {
  readonly pointer?: Pointer;
  readonly pointerEtag?: string;
  readonly waybill?: Waybill;
  readonly listing: readonly ListedObject[];
  /** Names that were once delivered as immutable; read only where a build brings names that no record knows. */
  readonly immutable?: ImmutableNames;
  /** Records of runs that have not ended; none, as a rule. */
  readonly open?: readonly OpenDelivery[];
  /** Keys of our records that can't be read: nothing is pruned while there are any. */
  readonly unreadable?: readonly ObjectKey[];
  /** False where objects carry no headers of their own (a folder): then headers are never compared. */
  readonly carriesHeaders?: boolean;
  /** The store's own time of the list, milliseconds since 1970. */
  readonly storeTimeMs: number;
}
