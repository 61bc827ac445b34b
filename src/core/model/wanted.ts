import type { EdgeRules } from "./edge-rules.ts";
import type { ObjectKey } from "./names.ts";
import type { PageNeeds } from "./page-needs.ts";
import type { Parcel } from "./parcel.ts";
import type { MissingAssets } from "./reference.ts";
import type { RoutingRule } from "./website.ts";

/** What a destination is to hold, wherever that comes from: all that a delivery is decided by. */
export interface Wanted<P extends Parcel = Parcel> {
  /** Sorted by key. */
  readonly parcels: readonly P[];
  /** What pages load, straight away or by way of others: it is there before them. */
  readonly loaded: ReadonlySet<ObjectKey>;
  /** Rules that the website endpoint is to have. */
  readonly routing: readonly RoutingRule[];
  /** What the edge is to do by itself; absent: it can be given nothing. */
  readonly edgeRules?: EdgeRules | undefined;
  /** What its pages load and run; absent: nobody has looked. */
  readonly pageNeeds?: PageNeeds | undefined;
  /** What its pages need and it lacks; absent: nothing. */
  readonly missing?: MissingAssets | undefined;
  /** Files of the build that the destination's own stand in front of; absent: none. */
  readonly aside?: readonly Parcel[] | undefined;
  /** What a first visit to the entry page loads; absent: nobody has weighed it. */
  readonly firstVisit?: (FirstVisit & { readonly files?: ReadonlySet<ObjectKey> }) | undefined;
  /** Its service workers. */
  readonly workers: readonly ObjectKey[];
  readonly origin: Origin;
}

/** What a browser loads for a page that it has never seen. */
export interface FirstVisit {
  readonly page: ObjectKey;
  /** Bytes as sent compressed. */
  readonly wire: number;
  /** Each file of it; absent in records of before 0.2. */
  readonly loads?: readonly LoadedFile[];
}

interface LoadedFile {
  readonly key: ObjectKey;
  /** Bytes as sent compressed. */
  readonly wire: number;
}

/** Where it comes from: a build, the release whose waybill says it, or one of another destination, by its whole name. */
export type Origin =
  | { readonly from: "build" }
  | { readonly from: "release"; readonly release: number }
  | { readonly from: "elsewhere"; readonly name: string };

/** The release of another destination that is taken over; undefined: none is. */
export const elsewhereOf = (origin: Origin): string | undefined =>
  origin.from === "elsewhere" ? origin.name : undefined;

/** The release that is put back; undefined: something new is delivered. */
export const releaseOf = (origin: Origin): number | undefined =>
  origin.from === "release" ? origin.release : undefined;
