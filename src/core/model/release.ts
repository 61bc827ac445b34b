import type { EdgeRules } from "./edge-rules.ts";
import type { ObjectKey, Sha256, UrlPath } from "./names.ts";
import type { Role } from "./role.ts";
import type { FirstVisit } from "./wanted.ts";
import type { MissingAssets } from "./reference.ts";
import type { PageNeeds } from "./page-needs.ts";
import { isWorkerScript } from "./polled.ts";
import type { RoutingRule } from "./website.ts";
import type { ImmutableNames } from "./immutable-names.ts";
import type { ListedObject, Parcel, RecordedParcel } from "./parcel.ts";

/** A file of a build that does not stand where it would: what another destination needs to know of it. */
export interface AsideFile {
  readonly key: ObjectKey;
  readonly hash: Sha256;
  /** Bytes. */
  readonly size: number;
  readonly role: Role;
  /** Its `Content-Type`. */
  readonly type: string;
}

/** What is written down of a preview. */
export interface PreviewRecord {
  /** As it was asked for: a branch, say. */
  readonly name: string;
  /** When its time is over, ISO 8601 UTC. */
  readonly until: string;
}

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
  /** The release of another destination that it took over, by its whole name; absent: none. */
  readonly takenFrom?: string;
  /** What its pages need and it lacks; absent: nothing. */
  readonly missing?: MissingAssets;
  /** What a first visit to its entry page loads; absent in records of before 0.2. */
  readonly firstVisit?: FirstVisit;
  /** Its service workers; absent in records of before 0.2, and where it has none. */
  readonly workers?: readonly ObjectKey[];
  /** Rules that this release gave the website endpoint; absent: none. */
  readonly routing?: readonly RoutingRule[];
  /** What it has the edge do by itself; absent: the edge was given nothing. */
  readonly edgeRules?: EdgeRules;
  /** What its pages load and run; absent: nobody has looked. */
  readonly pageNeeds?: PageNeeds;
  /** Settings of the website endpoint that this release, or runs which died before it, wrote over; they are in the vault. */
  readonly keptSettings?: readonly Sha256[];
  /** What the vault holds for earlier releases, by the number of the last one that lists it; absent in records of before 0.2. */
  readonly vault?: Readonly<Record<string, readonly Sha256[]>>;
  /** Pages and other files that the site has no more, by the last release that had them; absent: none is known. */
  readonly gone?: Readonly<Record<string, readonly ObjectKey[]>>;
  /** Of a preview alone. */
  readonly preview?: PreviewRecord;
  /** Files of its build that the destination's own stand in front of; they are in the vault. Absent: none. */
  readonly aside?: readonly AsideFile[];
  readonly parcels: readonly RecordedParcel[];
  /** Our objects that still stand though this release does not list them; each has `lastIn`. */
  readonly standing: readonly RecordedParcel[];
}

/** A file that waits in the vault as it was built. */
export const toAsideParcel = ({ key, hash, size, role, type }: AsideFile): Parcel => ({
  ...{ key, hash, storedHash: hash, size, role },
  headers: { "content-type": type },
  isAside: true,
});

/** The service workers of a release; of one that does not say so, those that are known by their name. */
export const workersOf = (waybill: Pick<Waybill, "workers" | "parcels"> | undefined): readonly ObjectKey[] =>
  waybill?.workers ??
  (waybill?.parcels ?? [])
    .filter(({ role, key }) => role === "worker" && isWorkerScript(key))
    .map(({ key }) => key);

/** A release is known by its number and its run together: the run that made it may have made release 0 as well. */
export const isSameRelease = (
  a: Pick<Waybill, "release" | "run">,
  b: Pick<Waybill, "release" | "run">,
): boolean => a.release === b.release && a.run === b.run;

/** A release that the pointer names. */
export interface RetainedRelease {
  readonly release: number;
  readonly run: string;
  readonly waybillHash: Sha256;
  readonly at: string;
  /** The longest time that an edge or a browser may reuse a page of it. */
  readonly pageFreshnessSeconds: number;
}

/** Addresses that an edge may still hold wrongly. */
export interface OwedInvalidation {
  /** What the edge is; versions before 0.2 wrote down its name within the destination. */
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
  /** When the last of these was written, by the store's clock in milliseconds since 1970; absent: when the pointer was. */
  readonly announcedMs?: number;
  /** Hashes of stored bytes that were removed for good, as versions before 0.2 noted them; absent: none. */
  readonly forgotten?: readonly Sha256[];
  /** Of a preview alone. */
  readonly preview?: PreviewRecord;
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
  /** Objects of the site that it was about to remove. */
  readonly removes: readonly ObjectKey[];
  /** Objects of others that it was about to write over, as they stood: release 0 takes them. */
  readonly originals: readonly RecordedParcel[];
  readonly owed: readonly OwedInvalidation[];
  /** What it was about to do to the settings of the website endpoint; absent: nothing. */
  readonly website?: OpenWebsite;
  /** Whether it was about to change what the edge does by itself; absent: no. */
  readonly switchesEdge?: true;
}

/** What a run does to the settings of the website endpoint, and runs which died before it may have done. */
interface OpenWebsite {
  /** All rules that may stand there by now. */
  readonly rules: readonly RoutingRule[];
  /** Settings that were written over, by the hash of what the vault has of them. */
  readonly kept: readonly Sha256[];
}

/** All that is known of a destination before a delivery. */
export interface DestinationState {
  readonly pointer?: Pointer;
  readonly pointerEtag?: string;
  /** Of the pointer's bytes as they stand in the store. */
  readonly pointerHash?: Sha256;
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
  /** Whether names that differ only in case are one there; absent: they are not. */
  readonly foldsCase?: boolean;
  /** The store's own time of the list, milliseconds since 1970. */
  readonly storeTimeMs: number;
}
