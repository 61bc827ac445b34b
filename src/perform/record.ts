import { createHash } from "node:crypto";
import { Readable } from "node:stream";
import { buffer } from "node:stream/consumers";
import { createGzip, gzipSync } from "node:zlib";
import { OperatorError } from "../core/model/failure.ts";
import type { ImmutableNames } from "../core/model/immutable-names.ts";
import { toImmutableText } from "../core/history/immutable-names.ts";
import {
  forgottenKey,
  IMMUTABLE_KEY,
  openKey,
  POINTER_KEY,
  waybillKey,
  type ObjectKey,
  type Sha256,
} from "../core/model/names.ts";
import type { OpenDelivery, Pointer, Waybill } from "../core/model/release.ts";
import { parsePointer, toOpenLines, toPointerText, toWaybillLines } from "../core/history/waybill.ts";
import {
  StoreError,
  type Condition,
  type Content,
  type ObjectStore,
  type Written,
} from "../ports/object-store.ts";
import { readWhole, toRecordText } from "../ports/read-whole.ts";

/** Nobody but the tool reads the state part, and no cache may hold it. */
export const STATE_HEADERS = { "cache-control": "no-store" };

/** As gzip, some lines at a time: the text of a large record is never in memory as a whole. */
const pack = (lines: Iterable<string>): Promise<Buffer> =>
  buffer(Readable.from(inBatches(lines)).pipe(createGzip()));

function* inBatches(lines: Iterable<string>): Generator<string> {
  let batch: string[] = [];
  for (const line of lines) {
    if (batch.push(line) < LINES) continue;
    yield `${batch.join("\n")}\n`;
    batch = [];
  }
  if (batch.length > 0) yield `${batch.join("\n")}\n`;
}

const LINES = 500;

/** Writes a waybill under its own name. @returns the SHA-256 of its bytes */
export async function recordWaybill(store: ObjectStore, waybill: Waybill): Promise<string> {
  const content = toContent(await pack(toWaybillLines(waybill)));
  const key = waybillKey(waybill.release, waybill.run);
  await store.put(key, content, { ...STATE_HEADERS, "content-type": "application/gzip" });
  return content.hash;
}

/** Writes down what a run is about to do, before it does anything else. */
export async function recordOpen(store: ObjectStore, open: OpenDelivery): Promise<void> {
  const content = toContent(await pack(toOpenLines(open)));
  await store.put(openKey(open.run), content, { ...STATE_HEADERS, "content-type": "application/gzip" });
}

/** Writes the names that were ever delivered as immutable, before the release that brings new ones is the current one. */
export async function recordImmutableNames(store: ObjectStore, names: ImmutableNames): Promise<void> {
  const content = toContent(gzipSync(toImmutableText(names)));
  await store.put(IMMUTABLE_KEY, content, { ...STATE_HEADERS, "content-type": "application/gzip" });
}

/** Writes down that contents were removed for good: an empty object for each, which no other record takes along when it is lost. */
export async function recordForgotten(store: ObjectStore, hashes: readonly Sha256[]): Promise<void> {
  const nothing = toContent(Buffer.alloc(0));
  for (const hash of hashes)
    await store.put(forgottenKey(hash), nothing, { ...STATE_HEADERS, "content-type": "text/plain" });
}

/**
 * Moves the pointer: the one write that makes a release the current one. It happens only over the pointer that this run
 * has read (`expectedEtag`; undefined: there was none). Throws `moved-meanwhile` where another run was faster.
 * A failed condition is never believed alone: the answer to a first try may have been lost, so what stands there is read.
 */
export async function switchPointer(
  store: ObjectStore,
  pointer: Pointer,
  expectedEtag: string | undefined,
): Promise<Written> {
  const text = toPointerText(pointer);
  const isLong = text.length > MOST_PLAIN;
  const content = toContent(isLong ? gzipSync(text) : Buffer.from(text));
  const condition: Condition = expectedEtag === undefined ? { ifAbsent: true } : { ifEtag: expectedEtag };
  const headers = { ...STATE_HEADERS, "content-type": isLong ? "application/gzip" : "application/json" };
  for (let tries = 1; ; tries++) {
    try {
      return await store.put(POINTER_KEY, content, headers, condition);
    } catch (error) {
      if (!(error instanceof StoreError)) throw error;
      if (error.kind === "conditions-unsupported") break;
      if (error.kind !== "precondition") throw error;
      const standing = await readStanding(store);
      if (standing && standing.text === text) return { etag: standing.etag };
      if (standing?.etag !== expectedEtag) throw toMoved(standing, error);
      // Refused although nothing has changed, twice: a bucket that keeps versions may refuse every condition.
      if (tries >= TRIES) break;
    }
  }
  return switchUnconditionally(store, content, headers, expectedEtag);
}

/** A pointer that is longer is packed: it holds what edges of a large site owe, and is written twice in a delivery. */
const MOST_PLAIN = 100_000;

/** How often a condition that holds is refused before it counts as one that can't be checked. */
const TRIES = 2;

const toMoved = (standing: { readonly text: string } | undefined, cause?: StoreError): OperatorError =>
  standing
    ? new OperatorError("moved-meanwhile", { release: parsePointer(standing.text).release }, {}, cause)
    : new OperatorError("changed-meanwhile", { key: POINTER_KEY }, {}, cause);

/** The next best on a store that checks no conditions: look right before the write. */
async function switchUnconditionally(
  store: ObjectStore,
  content: Content,
  headers: Record<string, string>,
  expectedEtag?: string,
): Promise<Written> {
  const standing = await readStanding(store);
  if (standing?.etag !== expectedEtag) throw toMoved(standing);
  return store.put(POINTER_KEY, content, headers);
}

const readStanding = (store: ObjectStore): Promise<{ text: string; etag: string } | undefined> =>
  readSmall(store, POINTER_KEY);

/** A small text object as it stands now. */
export async function readSmall(
  store: ObjectStore,
  key: ObjectKey,
): Promise<{ text: string; etag: string } | undefined> {
  const found = await store.get(key);
  if (!found) return undefined;
  return { text: toRecordText(await readWhole(found, key), key), etag: found.etag };
}

/** Bytes in memory as something to store. */
export function toContent(bytes: Buffer): Content {
  return { size: bytes.length, hash: createHash("sha256").update(bytes).digest("hex"), open: () => bytes };
}
