import { byText, POINTER_KEY, waybillKey, type ObjectKey, type Sha256 } from "../model/names.ts";
import {
  hasSameHeaders,
  type ListedObject,
  type ObjectHeaders,
  type Parcel,
  type RecordedParcel,
} from "../model/parcel.ts";
import type { ChangeReason } from "../model/reasons.ts";
import type { DestinationState, Pointer } from "../model/release.ts";

/** One state per key, in this precedence; `unchanged` makes no entry. */
export const CHANGES = ["new", "moved", "missing", "drifted", "replaced", "relabelled"] as const;
export type ChangeKind = (typeof CHANGES)[number];

/** One of our objects that stands though the build does not have it. */
export interface StaleObject {
  readonly recorded: RecordedParcel;
  readonly listed: ListedObject;
  /** The hash of what stands there. */
  readonly standingHash: Sha256;
}

/** What a look at an object itself told, where no record could be trusted. */
export interface Look {
  readonly hash: Sha256;
  readonly headers: ObjectHeaders;
}

/** Whether somebody else made what stands: neither a record nor a run that died has these bytes with these headers. */
export function isTheirs({ record, claims, trust }: KeyState, look: Look): boolean {
  if (trust === "recorded" || trust === "absent") return false;
  const known = [...claims, ...(record ? [record] : [])];
  return !known.some(
    ({ storedHash, headers }) => storedHash === look.hash && hasSameHeaders(headers, look.headers),
  );
}

/** Every object that our records say stands: the release's own, and those kept for open tabs. */
export function recordedByKey({ waybill, pointer }: DestinationState): Map<ObjectKey, RecordedParcel> {
  const recorded = new Map<ObjectKey, RecordedParcel>();
  for (const parcel of waybill?.standing ?? []) recorded.set(parcel.key, parcel);
  for (const parcel of waybill?.parcels ?? []) {
    const announced = parcel.etag === undefined ? pointer?.announced[parcel.key] : undefined;
    recorded.set(parcel.key, announced === undefined ? parcel : { ...parcel, etag: announced });
  }
  return recorded;
}

/** Everything that is known of what stands, by key. */
export interface Knowledge {
  readonly recorded: ReadonlyMap<ObjectKey, RecordedParcel>;
  /** What runs that died were about to write. */
  readonly claims: ReadonlyMap<ObjectKey, readonly Parcel[]>;
  /** What runs that have not ended were about to remove. */
  readonly removing: ReadonlySet<ObjectKey>;
  readonly listing: ReadonlyMap<ObjectKey, ListedObject>;
  readonly looks: ReadonlyMap<ObjectKey, Look>;
  /** When the waybill was written, by the store's clock; what was modified later may carry other headers. */
  readonly recordedMs: number;
  /** The same for what was announced after it, and for which keys. */
  readonly announcedMs: number;
  readonly announced: ReadonlySet<ObjectKey>;
}

/**
 * All that is known of what stands, before any key is looked at: the list, the records, and what runs that died had begun.
 *
 * How far a record can be believed, by an example. The waybill says: `about.html` has the ETag `"a1"` and 900 bytes, written
 * at 12:00. The list says: ETag `"a1"`, 900 bytes, changed at 11:58: the record is believed (`recorded`). Changed at 12:05:
 * somebody may have set other headers and left the bytes alone, so the headers are looked at (`labels`). Another ETag: bytes
 * and headers are looked at (`content`). Not in the list: nothing stands there (`absent`).
 * @param looks what looks at objects themselves have told
 */
export function toKnowledge(state: DestinationState, looks: ReadonlyMap<ObjectKey, Look>): Knowledge {
  const listing = new Map<ObjectKey, ListedObject>();
  for (const object of state.listing) listing.set(object.key, object);
  const { waybill, pointer } = state;
  // The pointer's own date would tell nothing: a prune, or a payment of what is owed, writes it anew.
  const record = waybill && listing.get(waybillKey(waybill.release, waybill.run));
  const isPlain = state.carriesHeaders === false;
  const late = (waybill?.parcels ?? []).filter(
    ({ key, etag }) => etag === undefined && pointer?.announced[key] !== undefined,
  );
  const claims = new Map<ObjectKey, Parcel[]>();
  for (const parcel of (state.open ?? []).flatMap((open) => open.parcels))
    claims.set(parcel.key, [...(claims.get(parcel.key) ?? []), parcel]);
  return {
    ...{ recorded: recordedByKey(state), claims, listing, looks },
    removing: new Set((state.open ?? []).flatMap(({ removes }) => removes)),
    recordedMs: isPlain ? Infinity : (record?.modifiedMs ?? Infinity),
    announcedMs: isPlain ? Infinity : findAnnouncedMs(state, listing.get(POINTER_KEY)),
    announced: new Set(late.map(({ key }) => key)),
  };
}

/** When the last worker of the current release was written, at the latest: the pointer is written right after it. */
const findAnnouncedMs = ({ pointer }: DestinationState, listed: ListedObject | undefined): number =>
  pointer?.announcedMs ?? listed?.modifiedMs ?? Infinity;

/** The pointer to be written anew for another reason than a release: what was announced keeps its date. */
export function toKeptPointer(pointer: Pointer, state: DestinationState): Pointer {
  const listed = state.listing.find(({ key }) => key === POINTER_KEY);
  const announcedMs = findAnnouncedMs(state, listed);
  if (Object.keys(pointer.announced).length === 0 || announcedMs === Infinity) return pointer;
  return { ...pointer, announcedMs };
}

/**
 * How far a record can be believed about what stands: entirely; in its bytes but not its headers, since something wrote
 * there after the record or may have; or not at all.
 */
type Trust = "recorded" | "labels" | "content" | "absent";

export interface KeyState {
  readonly record: RecordedParcel | undefined;
  readonly claims: readonly Parcel[];
  readonly listed: ListedObject | undefined;
  readonly look: Look | undefined;
  readonly trust: Trust;
}

const NO_CLAIMS: readonly Parcel[] = [];

/** What the list, the records and a look tell of one key, and how far the record can be believed. */
export function lookUp(
  key: ObjectKey,
  { recorded, claims, listing, looks, recordedMs, announcedMs, announced }: Knowledge,
): KeyState {
  const record = recorded.get(key);
  const listed = listing.get(key);
  const own = claims.get(key) ?? NO_CLAIMS;
  let trust: Trust = "recorded";
  if (!listed) trust = "absent";
  else if (record?.etag !== listed.etag || record.size !== listed.size) trust = "content";
  else if (own.length > 0 || listed.modifiedMs > (announced.has(key) ? announcedMs : recordedMs))
    trust = "labels";
  return { record, claims: own, listed, look: looks.get(key), trust };
}

/** One of our objects that the build does not have: stale, somebody else's by now, or to be looked at first. */
export function judgeUnwanted(
  { record, claims, listed, look, trust }: KeyState,
  { waybill }: DestinationState,
): StaleObject | "unlooked" | "not ours" | undefined {
  if (!listed) return undefined;
  if (record && trust !== "content") return { recorded: record, listed, standingHash: record.storedHash };
  // Written after its record or by a run that died; or somebody else's by now, and those are left alone.
  if (claims.length === 0 && record?.etag !== undefined) return "not ours";
  if (!look) return "unlooked";
  const claim = claims.find(({ storedHash }) => storedHash === look.hash);
  if (claim)
    return { recorded: { ...claim, lastIn: waybill?.release ?? 0 }, listed, standingHash: look.hash };
  return record && (record.etag === undefined || record.storedHash === look.hash)
    ? { recorded: record, listed, standingHash: look.hash }
    : "not ours";
}

/** Whether two parcels have the same stored bytes and the same headers, as far as the store keeps headers. */
export const isSameParcel = (a: Parcel, b: Parcel, state: DestinationState): boolean =>
  a.storedHash === b.storedHash && isSameLabel(a.headers, b.headers, state);

const isSameLabel = (a: ObjectHeaders, b: ObjectHeaders, { carriesHeaders }: DestinationState): boolean =>
  carriesHeaders === false || hasSameHeaders(a, b);

/** What stands under a key, against what should: nothing to do, or a change. */
export type Verdict =
  "unchanged" | { readonly kind: ChangeKind; readonly reason: ChangeReason; readonly standingHash?: Sha256 };

/**
 * What has to happen under a key so that this parcel stands there. Where no record can be believed and nobody has looked, it
 * counts as changed.
 */
export function judge(parcel: Parcel, standing: KeyState, state: DestinationState): Verdict {
  const { record, listed, look, trust } = standing;
  if (!listed) {
    if (!record) return { kind: "new", reason: { code: "absent" } };
    return record.etag === undefined
      ? { kind: "new", reason: { code: "unwritten" } }
      : { kind: "missing", reason: { code: "removed-by-others" } };
  }
  if (record && (trust === "recorded" || (trust === "labels" && !look)))
    return judgeLabelled(parcel, { hash: record.storedHash, headers: record.headers }, state);
  // No record can be believed here: what the object itself says counts.
  if (!look)
    return { kind: record?.etag === undefined ? "replaced" : "drifted", reason: { code: "unlooked" } };
  const verdict = judgeLabelled(parcel, look, state);
  return verdict === "unchanged" ? verdict : { ...verdict, ...judgeCause(verdict, standing, look) };
}

/** A change that was found by looking at bytes and headers alone. */
interface LabelledChange {
  readonly kind: "replaced" | "relabelled";
  readonly reason: Extract<ChangeReason, { code: "content" | "headers" }>;
  readonly standingHash: Sha256;
}

function judgeLabelled(parcel: Parcel, found: Look, state: DestinationState): "unchanged" | LabelledChange {
  const standingHash = found.hash;
  if (found.hash !== parcel.storedHash)
    return { kind: "replaced", reason: { code: "content" }, standingHash };
  if (isSameLabel(found.headers, parcel.headers, state)) return "unchanged";
  const names = findOtherHeaders(found.headers, parcel.headers);
  return { kind: "relabelled", reason: { code: "headers", names }, standingHash };
}

/** Who made an object other than our record says: a run of ours that died, or somebody else. */
function judgeCause(
  { kind, reason }: LabelledChange,
  { record, claims }: KeyState,
  look: Look,
): Partial<Exclude<Verdict, "unchanged">> {
  const isSame = (parcel: Parcel): boolean =>
    parcel.storedHash === look.hash && hasSameHeaders(parcel.headers, look.headers);
  if (record && isSame(record)) return {};
  if (claims.some(isSame)) return { reason: { ...reason, by: "unended" } };
  const isReplaced = kind === "replaced";
  if (record?.etag === undefined)
    return isReplaced ? { reason: { code: record === undefined ? "unrecorded" : "unwritten" } } : {};
  return reason.code === "headers"
    ? { kind: "drifted", reason: { ...reason, by: "others" } }
    : { kind: "drifted", reason: { code: "changed-by-others" } };
}

const findOtherHeaders = (before: ObjectHeaders, after: ObjectHeaders): string[] =>
  [...new Set([...Object.keys(before), ...Object.keys(after)])]
    .filter((name) => before[name] !== after[name])
    .sort(byText);
