import { byText, isStateKey, STATE_PREFIX, type ObjectKey, type Sha256 } from "../model/names.ts";
import type { ListedObject, Parcel, RecordedParcel } from "../model/parcel.ts";
import type { ChangeReason } from "../model/reasons.ts";
import type { DestinationState } from "../model/release.ts";
import {
  isSameParcel,
  isTheirs,
  judge,
  judgeUnwanted,
  lookUp,
  toKnowledge,
  type ChangeKind,
  type Knowledge,
  type Look,
  type StaleObject,
  type KeyState,
} from "./key-state.ts";

export interface Change {
  readonly kind: ChangeKind;
  readonly parcel: Parcel;
  readonly reason: ChangeReason;
  /** What stands there now, if anything does. */
  readonly listed?: ListedObject;
  readonly recorded?: RecordedParcel;
  /** The hash of what stands there now, where it is known. */
  readonly standingHash?: Sha256;
  /** What stands there, where somebody else has put it there. */
  readonly theirs?: Look;
  /** A run that has not ended was about to write or remove it, and may be asleep with that request under way. */
  readonly isThreatened?: true;
}

export interface Comparison {
  /** Sorted by key. */
  readonly changes: readonly Change[];
  /** Parcels that stand as they should. */
  readonly unchanged: readonly Parcel[];
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
  readonly unlooked: readonly ObjectKey[];
  /** Objects whose bytes are known while their headers must be looked at. */
  readonly unlabelled: readonly Unlabelled[];
  /**
   * Unchanged parcels that a run which has not ended was about to write over or to remove. That run may be asleep with the
   * request under way; given a new ETag, they are no longer what it expects.
   */
  readonly threatened: readonly Threatened[];
}

export interface Threatened {
  readonly parcel: Parcel;
  readonly listed: ListedObject;
}

export interface Unlabelled {
  readonly key: ObjectKey;
  /** Of the bytes that stand there. */
  readonly hash: Sha256;
}

/** Compares what should stand (parcels) with what was recorded (waybill, open deliveries) and what stands (listing). */
export function compareParcels(
  parcels: readonly Parcel[],
  state: DestinationState,
  looks: ReadonlyMap<ObjectKey, Look> = new Map(),
): Comparison {
  const known = toKnowledge(state, looks);
  const changes: Change[] = [];
  const unchanged: Parcel[] = [];
  const unrecorded: ObjectKey[] = [];
  const unlooked: ObjectKey[] = [];
  const unlabelled: Unlabelled[] = [];
  const pending = new Set<ObjectKey>();
  const wanted = new Set<ObjectKey>();
  const threatened: Threatened[] = [];

  for (const parcel of parcels) {
    const { key } = parcel;
    wanted.add(key);
    const standing = lookUp(key, known);
    const { record, trust, look } = standing;
    if (trust === "content" && !look) unlooked.push(key);
    if (trust === "labels" && !look && record) unlabelled.push({ key, hash: record.storedHash });
    if (record && record.etag === undefined && isSameParcel(record, parcel, state)) pending.add(key);
    const verdict = judge(parcel, standing, state);
    const { listed } = standing;
    const isAtRisk = isThreatened(parcel, standing, known, state);
    if (typeof verdict === "object")
      changes.push({
        ...{ ...verdict, parcel, ...toStandingFacts(standing) },
        ...(isAtRisk && { isThreatened: true as const }),
      });
    else {
      unchanged.push(parcel);
      if (listed && isAtRisk) threatened.push({ parcel, listed });
      if (trust === "content") unrecorded.push(key);
    }
  }

  const stale: StaleObject[] = [];
  const notOurs = new Set<ObjectKey>();
  for (const key of keysOf(known)) {
    if (wanted.has(key)) continue;
    const found = judgeUnwanted(lookUp(key, known), state);
    if (found === "unlooked") unlooked.push(key);
    else if (found === "not ours") notOurs.add(key);
    else if (found) stale.push(found);
  }
  const { gone, foreign } = findOthers(state, known, { wanted, notOurs });
  const sorted = markMoved(changes, state, known.recorded).sort((a, b) => byText(a.parcel.key, b.parcel.key));
  return {
    ...{ changes: sorted, unchanged, stale, unrecorded, pending, gone, foreign, unlooked, unlabelled },
    threatened,
  };
}

/** Every key that a record or a run that died names, once. */
function* keysOf({ recorded, claims }: Knowledge): Generator<ObjectKey> {
  yield* recorded.keys();
  for (const key of claims.keys()) if (!recorded.has(key)) yield key;
}

/** What we had and is gone, and what stands and is not ours. */
function findOthers(
  state: DestinationState,
  known: Knowledge,
  { wanted, notOurs }: { readonly wanted: ReadonlySet<ObjectKey>; readonly notOurs: ReadonlySet<ObjectKey> },
): Pick<Comparison, "gone" | "foreign"> {
  const gone: ObjectKey[] = [];
  for (const { key } of state.waybill?.parcels ?? [])
    if (!wanted.has(key) && !known.listing.has(key)) gone.push(key);
  const others = findOtherDestinations(state.listing);
  const isOurs = (key: ObjectKey): boolean =>
    wanted.has(key) ||
    isStateKey(key) ||
    ((known.recorded.has(key) || known.claims.has(key)) && !notOurs.has(key)) ||
    others.some((prefix) => key.startsWith(prefix));
  const foreign: ObjectKey[] = [];
  for (const { key } of state.listing) if (!isOurs(key)) foreign.push(key);
  return { gone, foreign };
}

const isThreatened = (
  parcel: Parcel,
  { claims }: KeyState,
  { removing }: Knowledge,
  state: DestinationState,
): boolean =>
  // In a folder a copy onto itself is nothing.
  state.carriesHeaders !== false &&
  (removing.has(parcel.key) || claims.some((claim) => !isSameParcel(claim, parcel, state)));

/** The ETags of the parcels that stand as they should. */
export function etagsOfUnchanged(
  { unchanged }: Comparison,
  { listing }: DestinationState,
): Map<ObjectKey, string> {
  const keys = new Set(unchanged.map(({ key }) => key));
  const etags = new Map<ObjectKey, string>();
  for (const { key, etag } of listing) if (keys.has(key)) etags.set(key, etag);
  return etags;
}

function toStandingFacts(standing: KeyState): Pick<Change, "listed" | "recorded" | "theirs"> {
  const { listed, record, look } = standing;
  return {
    ...(listed && { listed }),
    ...(record && { recorded: record }),
    ...(look && isTheirs(standing, look) && { theirs: look }),
  };
}

/** A change whose bytes stand under another key, in the vault or for open tabs, needs no sending. */
function markMoved(
  changes: readonly Change[],
  state: DestinationState,
  recorded: ReadonlyMap<ObjectKey, RecordedParcel>,
): Change[] {
  if (!changes.some(({ kind }) => kind === "new")) return [...changes];
  const sources = findContents(state, recorded);
  return changes.map((change) => {
    const from = change.kind === "new" ? sources.get(change.parcel.storedHash) : undefined;
    return from === undefined ? change : { ...change, kind: "moved", reason: { code: "moved", from } };
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
    const inVault = isStateKey(key) ? /^\.courier\/vault\/([0-9a-f]{64})$/.exec(key)?.[1] : undefined;
    if (inVault !== undefined) contents.set(inVault, key);
    else if (record?.etag === etag && record.size === size && !contents.has(record.storedHash))
      contents.set(record.storedHash, key);
  }
  return contents;
}

/** Prefixes below ours that hold a state part of their own: destinations of other sites or previews. */
function findOtherDestinations(listing: readonly ListedObject[]): string[] {
  const prefixes = new Set<string>();
  for (const { key } of listing) {
    const at = key.lastIndexOf(`/${STATE_PREFIX}`);
    if (at > 0) prefixes.add(key.slice(0, at + 1));
  }
  return [...prefixes];
}
