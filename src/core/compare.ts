import { byText, isStateKey, type ObjectKey, type Sha256 } from "./model/names.ts";
import {
  hasSameHeaders,
  type ListedObject,
  type ObjectHeaders,
  type Parcel,
  type RecordedParcel,
} from "./model/parcel.ts";
import type { DestinationState } from "./model/release.ts";

/** One state a key, in this precedence; `unchanged` makes no entry. */
export const CHANGES = ["new", "moved", "missing", "drifted", "replaced", "relabelled"] as const;
export type ChangeKind = (typeof CHANGES)[number];

export interface Change {
  readonly kind: ChangeKind;
  readonly parcel: Parcel;
  readonly reason: string;
  /** What stands there now, if anything does. */
  readonly listed?: ListedObject;
  readonly recorded?: RecordedParcel;
  /** The hash of what stands there now, where it is known. */
  readonly standingHash?: Sha256;
}

/** One of our objects that stands though the build does not have it. */
export interface StaleObject {
  readonly recorded: RecordedParcel;
  readonly listed: ListedObject;
  /** The hash of what stands there. */
  readonly standingHash: Sha256;
}

/** What a look at an object itself told, where no record could be trusted. */
export interface Probe {
  readonly hash: Sha256;
  readonly headers: ObjectHeaders;
}

export interface Comparison {
  /** Sorted by key. */
  readonly changes: readonly Change[];
  /** Recorded form of each unchanged parcel. */
  readonly unchanged: readonly RecordedParcel[];
  readonly stale: readonly StaleObject[];
  /** Keys that are as they should be, though no record says so: a delivery ended after it had written them. */
  readonly unrecorded: readonly ObjectKey[];
  /** Keys that the current release lists as they should be and that were still to be written when it was recorded. */
  readonly pending: ReadonlySet<ObjectKey>;
  /** Keys of the release that neither stand nor are wanted: a delivery ended after it had removed them. */
  readonly gone: readonly ObjectKey[];
  /** Keys that no record names and no parcel claims. */
  readonly foreign: readonly ObjectKey[];
  /** Keys whose object must be looked at before this comparison can be trusted. */
  readonly unprobed: readonly ObjectKey[];
}

/** Compares what should stand (parcels) with what was recorded (waybill) and what stands (listing). */
export function compareParcels(
  parcels: readonly Parcel[],
  state: DestinationState,
  probes: ReadonlyMap<ObjectKey, Probe> = new Map(),
): Comparison {
  const recorded = recordedByKey(state);
  const listing = new Map(state.listing.map((object) => [object.key, object]));
  const changes: Change[] = [];
  const unchanged: RecordedParcel[] = [];
  const unrecorded: ObjectKey[] = [];
  const unprobed: ObjectKey[] = [];
  const pending = new Set<ObjectKey>();
  const wanted = new Set<ObjectKey>();

  for (const parcel of parcels) {
    wanted.add(parcel.key);
    const record = recorded.get(parcel.key);
    const listed = listing.get(parcel.key);
    const probe = probes.get(parcel.key);
    if (listed && !isAsRecorded(record, listed) && !probe) unprobed.push(parcel.key);
    if (record && record.etag === undefined && isSameParcel(record, parcel)) pending.add(parcel.key);
    const verdict = judge(parcel, record, listed, probe);
    if (typeof verdict === "object")
      changes.push({ ...verdict, parcel, ...(listed && { listed }), ...(record && { recorded: record }) });
    else {
      unchanged.push({ ...parcel, ...(listed && { etag: listed.etag }) });
      if (listed && !isAsRecorded(record, listed)) unrecorded.push(parcel.key);
    }
  }

  const stale: StaleObject[] = [];
  const notOurs = new Set<ObjectKey>();
  for (const record of recorded.values()) {
    const listed = listing.get(record.key);
    if (!listed || wanted.has(record.key)) continue;
    const standingHash = isAsRecorded(record, listed) ? record.storedHash : probes.get(record.key)?.hash;
    // Written after its record, or somebody else's by now: only the first may be removed.
    if (record.etag !== undefined && !isAsRecorded(record, listed)) notOurs.add(record.key);
    else if (standingHash === undefined) unprobed.push(record.key);
    else stale.push({ recorded: record, listed, standingHash });
  }
  const gone = (state.waybill?.parcels ?? [])
    .map(({ key }) => key)
    .filter((key) => !wanted.has(key) && !listing.has(key));
  const others = findOtherDestinations(state.listing);
  const foreign = state.listing
    .map(({ key }) => key)
    .filter(
      (key) =>
        !isStateKey(key) &&
        !wanted.has(key) &&
        (!recorded.has(key) || notOurs.has(key)) &&
        !others.some((prefix) => key.startsWith(prefix)),
    );
  const sorted = markMoved(changes, state, recorded).sort((a, b) => byText(a.parcel.key, b.parcel.key));
  return { changes: sorted, unchanged, stale, unrecorded, pending, gone, foreign, unprobed };
}

/** Every object that our records say stands: the release's own, and those kept for open tabs. */
export function recordedByKey(state: DestinationState): Map<ObjectKey, RecordedParcel> {
  const { waybill, pointer } = state;
  const own = (waybill?.parcels ?? []).map((parcel): [ObjectKey, RecordedParcel] => {
    const announced = parcel.etag === undefined ? pointer?.announced[parcel.key] : undefined;
    return [parcel.key, announced === undefined ? parcel : { ...parcel, etag: announced }];
  });
  return new Map([
    ...(waybill?.standing ?? []).map((parcel): [ObjectKey, RecordedParcel] => [parcel.key, parcel]),
    ...own,
  ]);
}

const isSameParcel = (a: Parcel, b: Parcel): boolean =>
  a.storedHash === b.storedHash && hasSameHeaders(a.headers, b.headers);

const isAsRecorded = (record: RecordedParcel | undefined, listed: ListedObject): boolean =>
  record?.etag === listed.etag && record.size === listed.size;

type Verdict = Pick<Change, "kind" | "reason" | "standingHash"> | "unchanged";

function judge(parcel: Parcel, record?: RecordedParcel, listed?: ListedObject, probe?: Probe): Verdict {
  if (!listed) {
    if (!record) return { kind: "new", reason: "not there yet" };
    return record.etag === undefined
      ? { kind: "new", reason: "a delivery ended before it was written" }
      : { kind: "missing", reason: "removed by other means" };
  }
  if (record && isAsRecorded(record, listed)) {
    if (record.storedHash !== parcel.storedHash)
      return { kind: "replaced", reason: "content", standingHash: record.storedHash };
    if (!hasSameHeaders(record.headers, parcel.headers)) {
      return {
        kind: "relabelled",
        reason: relabelReason(record.headers, parcel.headers),
        standingHash: record.storedHash,
      };
    }
    return "unchanged";
  }
  // No record can be believed here: what the object itself says counts.
  if (probe?.hash === parcel.storedHash) {
    return hasSameHeaders(probe.headers, parcel.headers)
      ? "unchanged"
      : {
          kind: "relabelled",
          reason: relabelReason(probe.headers, parcel.headers),
          standingHash: probe.hash,
        };
  }
  const standingHash = probe && { standingHash: probe.hash };
  if (record?.etag !== undefined)
    return { kind: "drifted", reason: "changed by other means", ...standingHash };
  return {
    kind: "replaced",
    reason: record ? "a delivery ended before it was written" : "no record of what stands there",
    ...standingHash,
  };
}

function relabelReason(before: ObjectHeaders, after: ObjectHeaders): string {
  const names = [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(
    (name) => before[name] !== after[name],
  );
  return `headers: ${names.sort(byText).join(", ")}`;
}

/** A change whose bytes stand under another key, in the vault or for open tabs, needs no sending. */
function markMoved(
  changes: readonly Change[],
  state: DestinationState,
  recorded: ReadonlyMap<ObjectKey, RecordedParcel>,
): Change[] {
  const sources = findContents(state, recorded);
  return changes.map((change) => {
    const from = change.kind === "new" ? sources.get(change.parcel.storedHash) : undefined;
    return from === undefined ? change : { ...change, kind: "moved", reason: `the same bytes as ${from}` };
  });
}

/** Where each content stands, by the hash of its stored bytes: among our untouched objects or in the vault. */
export function findContents(
  state: DestinationState,
  recorded: ReadonlyMap<ObjectKey, RecordedParcel>,
): Map<Sha256, ObjectKey> {
  const contents = new Map<Sha256, ObjectKey>();
  for (const { key, etag, size } of state.listing) {
    const record = recorded.get(key);
    const inVault = /^\.courier\/vault\/([0-9a-f]{64})$/.exec(key)?.[1];
    if (inVault !== undefined) contents.set(inVault, key);
    else if (record?.etag === etag && record.size === size && !contents.has(record.storedHash))
      contents.set(record.storedHash, key);
  }
  return contents;
}

/** Prefixes below ours that hold a state part of their own: destinations of other sites or previews. */
function findOtherDestinations(listing: readonly ListedObject[]): string[] {
  const prefixes = listing
    .map(({ key }) => /^(.+\/)\.courier\//.exec(key)?.[1])
    .filter((prefix) => prefix !== undefined);
  return [...new Set(prefixes)];
}
