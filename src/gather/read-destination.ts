import { createHash } from "node:crypto";
import { takeCaseOf } from "../core/compare/fold-case.ts";
import type { Unlabelled } from "../core/compare/compare.ts";
import { runPool } from "../core/delivery/pool.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Look } from "../core/compare/key-state.ts";
import type { ImmutableNames } from "../core/model/immutable-names.ts";
import { parseImmutableNames } from "../core/history/immutable-names.ts";
import {
  IMMUTABLE_KEY,
  OPEN_PREFIX,
  POINTER_KEY,
  RELEASES_PREFIX,
  waybillKey,
  type ObjectKey,
  type Sha256,
} from "../core/model/names.ts";
import type { ListedObject } from "../core/model/parcel.ts";
import type {
  DestinationState,
  OpenDelivery,
  Pointer,
  RetainedRelease,
  Waybill,
} from "../core/model/release.ts";
import { parseOpen, parsePointer, unreadable, WaybillReader } from "../core/history/waybill.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import { MOST_WAYBILL_BYTES, readWhole, toRecordText } from "../ports/read-whole.ts";
import { hashStream } from "./hash-files.ts";
import { chooseSplits, listAll, type Listed } from "./list-objects.ts";
import { unpackLines } from "./unpack.ts";

/**
 * Reads what is known of a destination: the pointer, its waybill, the list, and the records of runs that have not ended;
 * two GETs and the list pages, as a rule.
 * Throws `record-lost` where there are waybills and no pointer: that is never a first delivery.
 */
export async function readDestination(store: ObjectStore, destination: string): Promise<DestinationState> {
  const { current, readNewest, listing, storeTimeMs, foldsCase } = await lookTogether(store);
  const { open, unreadable } = await readOpen(store, listing);
  const common = {
    ...{ listing, storeTimeMs, carriesHeaders: store.carriesHeaders },
    ...(foldsCase && { foldsCase }),
    ...(open.length > 0 && { open }),
    ...(unreadable.length > 0 && { unreadable }),
  };
  if (current === undefined) {
    // A first delivery that died between its waybill and the pointer still has its own record.
    const unended = new Set(open.map(({ run }) => run));
    const lost = listing.some(
      ({ key }) => key.startsWith(RELEASES_PREFIX) && !unended.has(runOfWaybill(key)),
    );
    if (lost) throw new OperatorError("record-lost", { destination, key: POINTER_KEY });
    return common;
  }
  const waybill = readNewest();
  const { pointer, etag: pointerEtag, hash: pointerHash } = current;
  const state = { ...common, pointer, pointerEtag, pointerHash, ...(waybill && { waybill }) };
  // A file keeps the name that it was made under there, and the record has the one that it was given since.
  return takeCaseOf(state, waybill?.parcels.map(({ key }) => key) ?? []);
}

/** How often the pointer and the list are read until they speak of the same time. */
const MOST_LOOKS = 3;

interface Records {
  readonly current: Awaited<ReturnType<typeof readPointer>>;
  /** The newest release's waybill; undefined where nothing is delivered. Throws what reading it threw. */
  readonly readNewest: () => Waybill | undefined;
}

/** The pointer and the list of one time: with another run in between, one would tell of objects that the other lacks. */
async function lookTogether(store: ObjectStore, looks = MOST_LOOKS): Promise<Listed & Records> {
  const recorded = readRecords(store);
  const splits = recorded.then(
    ({ current, readNewest }) => (current ? chooseSplits(keysOf(readNewest)) : []),
    () => [],
  );
  // Both to their end, so that a failure of one leaves no call behind that goes on trying.
  const [records, listed] = await Promise.allSettled([recorded, listAll(store, splits)]);
  if (listed.status === "rejected") throw listed.reason;
  if (records.status === "rejected") throw records.reason;
  const { current } = records.value;
  const listedEtag = listed.value.listing.find(({ key }) => key === POINTER_KEY)?.etag;
  if (listedEtag !== current?.etag && looks > 1) return lookTogether(store, looks - 1);
  return { ...listed.value, ...records.value };
}

/** A waybill that can't be read fails where it is needed: its pointer may be an old one by then. */
async function readRecords(store: ObjectStore): Promise<Records> {
  const current = await readPointer(store);
  const newest = current?.pointer.retained[0];
  if (!newest) return { current, readNewest: () => undefined };
  const [read] = await Promise.allSettled([readWaybill(store, newest)]);
  return {
    current,
    readNewest: () => {
      if (read.status === "rejected") throw read.reason;
      return read.value;
    },
  };
}

/** What is known to stand there; nothing where the waybill can't be read. */
function keysOf(readNewest: Records["readNewest"]): ObjectKey[] {
  try {
    return readNewest()?.parcels.map(({ key }) => key) ?? [];
  } catch {
    return [];
  }
}

const runOfWaybill = (key: ObjectKey): string =>
  /\/\d+-(.+)\.ndjson\.gz$/.exec(key.slice(RELEASES_PREFIX.length - 1))?.[1] ?? "";

/** Records of runs that have not ended. One that can't be read is named: it may speak of anything. */
export async function readOpen(
  store: ObjectStore,
  listing: readonly ListedObject[],
): Promise<{ open: OpenDelivery[]; unreadable: ObjectKey[] }> {
  const open: OpenDelivery[] = [];
  const unreadable: ObjectKey[] = [];
  for (const { key } of listing.filter((object) => object.key.startsWith(OPEN_PREFIX))) {
    const found = await store.get(key);
    // It ended just now.
    if (!found) continue;
    try {
      open.push(parseOpen(toRecordText(await readWhole(found, key), key).split("\n"), key));
    } catch (error) {
      if (!(error instanceof OperatorError)) throw error;
      unreadable.push(key);
    }
  }
  return { open, unreadable };
}

/** A pointer as it stands in the store. */
interface StandingPointer {
  readonly pointer: Pointer;
  readonly etag: string;
  /** Of its bytes. */
  readonly hash: Sha256;
}

/** Undefined: nothing is delivered yet. Throws `record-unreadable`. */
export async function readPointer(store: ObjectStore): Promise<StandingPointer | undefined> {
  const found = await store.get(POINTER_KEY);
  if (!found) return undefined;
  const bytes = await readWhole(found, POINTER_KEY);
  const pointer = parsePointer(toRecordText(bytes, POINTER_KEY));
  return { pointer, etag: found.etag, hash: createHash("sha256").update(bytes).digest("hex") };
}

/** A waybill that the pointer names. Throws `record-unreadable` when it is gone, damaged or another than was recorded. */
export async function readWaybill(
  store: ObjectStore,
  { release, run, waybillHash }: RetainedRelease,
): Promise<Waybill> {
  const key = waybillKey(release, run);
  const found = await store.get(key);
  if (!found) throw unreadable(key, { code: "gone" });
  const bytes = await readWhole(found, key, MOST_WAYBILL_BYTES);
  if (createHash("sha256").update(bytes).digest("hex") !== waybillHash) {
    throw unreadable(key, { code: "not-recorded" });
  }
  return await parseWaybillBytes(bytes, key);
}

/** The same, undefined where it can't be read. */
export async function tryReadWaybill(
  store: ObjectStore,
  release: RetainedRelease,
): Promise<Waybill | undefined> {
  try {
    return await readWaybill(store, release);
  } catch (error) {
    if (error instanceof OperatorError && error.code === "record-unreadable") return undefined;
    throw error;
  }
}

/** Throws `record-unreadable`. */
export async function parseWaybillBytes(bytes: Buffer, key: ObjectKey): Promise<Waybill> {
  const reader = new WaybillReader(key);
  for await (const lines of unpackLines(bytes, key)) for (const line of lines) reader.add(line);
  return reader.end();
}

/** The names that were once delivered as immutable; none where nothing was recorded yet. */
export async function readImmutableNames(
  store: ObjectStore,
  { listing }: DestinationState,
): Promise<ImmutableNames> {
  return listing.some(({ key }) => key === IMMUTABLE_KEY) ? fetchImmutableNames(store) : new Map();
}

/** The same where nobody has listed what stands there. */
export async function fetchImmutableNames(store: ObjectStore): Promise<ImmutableNames> {
  const found = await store.get(IMMUTABLE_KEY);
  if (!found) return new Map();
  const bytes = await readWhole(found, IMMUTABLE_KEY);
  return parseImmutableNames(toRecordText(bytes, IMMUTABLE_KEY));
}

/** What a look at objects needs to know: which, and what they are hoped to be. */
export interface Unknown {
  readonly unlooked: readonly ObjectKey[];
  readonly unlabelled: readonly Unlabelled[];
}

/** The build's own bytes under a key: what stands there may be the same. */
export interface Candidate {
  readonly hash: Sha256;
  readonly size: number;
  /** MD5 in hex; reads the file. */
  readonly md5: () => string;
}

/** Looks at this many at once. */
const LOOKS = 16;

/**
 * Looks at objects that no record can be trusted about: their headers and the hash of their bytes. Where the ETag is the
 * MD5 of the build's own file, or the store tells their sum, the headers are enough; else they are read.
 */
export async function lookAtObjects(
  store: ObjectStore,
  { unlooked, unlabelled }: Unknown,
  listing: readonly ListedObject[] = [],
  findCandidate: (key: ObjectKey) => Candidate | undefined = () => undefined,
): Promise<Map<ObjectKey, Look>> {
  const looks = new Map<ObjectKey, Look>();
  const listed = new Map(unlooked.length > 0 ? listing.map((object) => [object.key, object]) : []);
  const look = async (key: ObjectKey, hash: Sha256): Promise<void> => {
    const found = await store.head(key);
    if (found) looks.set(key, { hash, headers: found.headers });
  };
  const read = async (key: ObjectKey): Promise<void> => {
    const object = listed.get(key);
    const candidate = object && findCandidate(key);
    if (candidate && candidate.size === object.size && candidate.md5() === object.etag)
      return look(key, candidate.hash);
    // An ETag may be no MD5 (sent in parts, encrypted by a key service): some stores keep a sum besides.
    const facts = await store.head(key);
    if (!facts) return;
    if (facts.hash !== undefined) {
      looks.set(key, { hash: facts.hash, headers: facts.headers });
      return;
    }
    const found = await store.get(key);
    if (found) looks.set(key, { hash: await hashStream(found.body), headers: found.headers });
  };
  const tasks = [
    ...unlooked.map((key) => () => read(key)),
    ...unlabelled.map(
      ({ key, hash }) =>
        () =>
          look(key, hash),
    ),
  ];
  await runPool(
    tasks,
    () => LOOKS,
    (task) => task(),
  );
  return looks;
}
