import { createHash } from "node:crypto";
import { gunzipSync } from "node:zlib";
import { OperatorError } from "../core/failures.ts";
import type { Probe } from "../core/compare.ts";
import { parseImmutableNames, type ImmutableNames } from "../core/immutable-names.ts";
import { IMMUTABLE_KEY, POINTER_KEY, waybillKey, type ObjectKey } from "../core/model/names.ts";
import type { ListedObject } from "../core/model/parcel.ts";
import type { DestinationState, Pointer, RetainedRelease, Waybill } from "../core/model/release.ts";
import { parsePointer, parseWaybill } from "../core/waybill.ts";
import type { ObjectStore, ReadObject } from "../ports/object-store.ts";
import { hashStream } from "./hash-files.ts";

/**
 * Reads what is known of a destination: the pointer, its waybill, and the list; two GETs and the list pages.
 * Throws `record-lost` where there are waybills and no pointer: that is never a first delivery.
 */
export async function readDestination(store: ObjectStore, destination: string): Promise<DestinationState> {
  // Both to their end, so that a failure of one leaves no call behind that goes on trying.
  const [pointed, listed] = await Promise.allSettled([readPointer(store), listAll(store)]);
  if (listed.status === "rejected") throw listed.reason;
  if (pointed.status === "rejected") throw pointed.reason;
  const { listing, storeTimeMs } = listed.value;
  const current = pointed.value;
  if (current === undefined) {
    if (listing.some(({ key }) => key.startsWith(".courier/releases/")))
      throw new OperatorError("record-lost", { destination, key: POINTER_KEY });
    return { listing, storeTimeMs };
  }
  const [newest] = current.pointer.retained;
  const waybill = newest && (await readWaybill(store, newest));
  return {
    pointer: current.pointer,
    pointerEtag: current.etag,
    ...(waybill && { waybill }),
    listing,
    storeTimeMs,
  };
}

export async function readPointer(
  store: ObjectStore,
): Promise<{ pointer: Pointer; etag: string } | undefined> {
  const found = await store.get(POINTER_KEY);
  return found && { pointer: parsePointer((await readAll(found)).toString("utf8")), etag: found.etag };
}

/** A waybill that the pointer names. Throws `record-unreadable` when it is gone, damaged or another than was recorded. */
export async function readWaybill(
  store: ObjectStore,
  { release, run, waybillHash }: RetainedRelease,
): Promise<Waybill> {
  const key = waybillKey(release, run);
  const found = await store.get(key);
  if (!found) throw new OperatorError("record-unreadable", { key, cause: "it is gone" });
  const bytes = await readAll(found);
  if (createHash("sha256").update(bytes).digest("hex") !== waybillHash) {
    throw new OperatorError("record-unreadable", { key, cause: "it is not the one that was recorded" });
  }
  return parseWaybill(gunzipSync(bytes).toString("utf8").split("\n"), key);
}

/** The names that were once delivered as immutable; none where nothing was recorded yet. */
export async function readImmutableNames(
  store: ObjectStore,
  { listing }: DestinationState,
): Promise<ImmutableNames> {
  const found = listing.some(({ key }) => key === IMMUTABLE_KEY) ? await store.get(IMMUTABLE_KEY) : undefined;
  if (!found) return new Map();
  const bytes = await readAll(found);
  return parseImmutableNames(tryUnzip(bytes));
}

/** Bytes that are no gzip are handed on as they are: the parser refuses them in its own words. */
function tryUnzip(bytes: Buffer): string {
  try {
    return gunzipSync(bytes).toString("utf8");
  } catch {
    return "";
  }
}

/** Looks at objects that no record can be trusted about: their headers and the hash of their bytes. */
export async function probeObjects(
  store: ObjectStore,
  keys: readonly ObjectKey[],
): Promise<Map<ObjectKey, Probe>> {
  const probes = new Map<ObjectKey, Probe>();
  for (const key of keys) {
    const found = await store.get(key);
    if (found) probes.set(key, { hash: await hashStream(found.body), headers: found.headers });
  }
  return probes;
}

async function listAll(store: ObjectStore): Promise<{ listing: ListedObject[]; storeTimeMs: number }> {
  const listing: ListedObject[] = [];
  let storeTimeMs = 0;
  for await (const page of store.list()) {
    for (const object of page.objects) listing.push(object);
    storeTimeMs = page.storeTimeMs ?? storeTimeMs;
  }
  // A store that tells no time is as old as the youngest thing in it, at least.
  return {
    listing,
    storeTimeMs: storeTimeMs || listing.reduce((latest, { modifiedMs }) => Math.max(latest, modifiedMs), 0),
  };
}

async function readAll({ body }: ReadObject): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  for await (const chunk of body) chunks.push(chunk);
  return Buffer.concat(chunks);
}
