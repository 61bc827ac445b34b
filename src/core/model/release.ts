import type { ObjectKey, Sha256, UrlPath } from "./names.ts";
import type { RoutingRule } from "./website.ts";
import type { ImmutableNames } from "../immutable-names.ts";
import type { ListedObject, RecordedParcel } from "./parcel.ts";

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
}

/** All that is known of a destination before a delivery. */
export interface DestinationState {
  readonly pointer?: Pointer;
  readonly pointerEtag?: string;
  readonly waybill?: Waybill;
  readonly listing: readonly ListedObject[];
  /** Names that were once delivered as immutable; read only where a build brings names that no record knows. */
  readonly immutable?: ImmutableNames;
  /** The store's own time of the list, milliseconds since 1970. */
  readonly storeTimeMs: number;
}
