import { createHash } from "node:crypto";
import { OperatorError } from "../core/model/failure.ts";
import { hasSameHeaders } from "../core/model/parcel.ts";
import type { CopyStep } from "../core/model/plan.ts";
import { StoreError, type Condition, type ObjectStore, type Written } from "../ports/object-store.ts";
import type { PerformTools } from "./perform-tools.ts";
import { hashStanding, send, toCondition } from "./send.ts";

/** A copy whose source is pinned also where this very phase has just written it. */
export type PinnedCopy = Omit<CopyStep, "fromEtag"> & { readonly fromEtag: string | undefined };

/**
 * A copy inside the store. It is believed only when its ETag is the expected one, or where that says nothing (sent in parts,
 * encrypted by a key service), its size is right. Throws `changed-meanwhile` where somebody else has written to its source
 * or its target, `copy-differs` where the store made something else of it.
 */
export async function copy(step: PinnedCopy, tools: PerformTools): Promise<Written> {
  if (step.place) return copyFromOutside(step, tools);
  const { from, fromEtag, to, size, freshEtag } = step;
  const { store, report } = tools;
  const written = await tryCopy(step, tools);
  const isSame = written.etag === fromEtag;
  if (freshEtag && isSame) report({ event: "warning", warning: { code: "etag-kept", key: to } });
  if (fromEtag !== undefined && (isSame || written.etag === toOnePartEtag(fromEtag))) return written;
  const found = await store.head(to);
  if (found?.size === size) return { etag: found.etag };
  const parcel = tools.findParcel(to);
  if (parcel && found) return send({ parcel, expected: { etag: found.etag } }, tools);
  await store.remove([to]);
  throw new OperatorError("copy-differs", { from }, { to });
}

/** What a copy from another destination may fail with while the same content can still be sent. */
const OUT_OF_REACH: ReadonlySet<StoreError["kind"]> = new Set<StoreError["kind"]>([
  ...(["precondition", "denied", "unsupported", "conditions-unsupported"] as const),
  ...(["no-such-bucket", "wrong-region", "other"] as const),
]);

/**
 * A copy from another destination, whose own runs go on meanwhile: what has changed there since its record was read, or can't
 * be read by this identity, is sent from the build instead. Throws `content-out-of-reach` where there is none.
 */
async function copyFromOutside(step: PinnedCopy, tools: PerformTools): Promise<Written> {
  const { from, place, fromEtag, to, size, headers, expected, storedHash } = step;
  const { store, conditions } = tools;
  const atTarget = conditions.copies ? toCondition(expected) : undefined;
  let cause: StoreError | undefined;
  let standing = expected;
  try {
    const written = await store.copy({ key: from, place, etag: fromEtag, size }, to, headers, atTarget);
    if (fromEtag !== undefined && [fromEtag, toOnePartEtag(fromEtag)].includes(written.etag)) return written;
    const found = await store.head(to);
    if (found?.size === size) return { etag: found.etag };
    if (found) standing = { etag: found.etag };
  } catch (error) {
    if (!(error instanceof StoreError) || !OUT_OF_REACH.has(error.kind)) throw error;
    cause = error;
    // The answer to a try that made the copy may have been lost.
    const found = await findOwnCopy(step, store);
    if (found) return found;
  }
  const parcel = tools.findContent(storedHash);
  if (!parcel) throw new OperatorError("content-out-of-reach", { key: from, place }, {}, cause);
  return send({ parcel: { ...parcel, headers: headers ?? parcel.headers }, to, expected: standing }, tools);
}

async function tryCopy(step: PinnedCopy, tools: PerformTools): Promise<Written> {
  const { fromEtag, expected } = step;
  const { conditions } = tools;
  const condition = conditions.copies ? toCondition(expected) : undefined;
  if (isOfParts(fromEtag) && !conditions.sourcesOfParts) return copyByLooking(step, condition, tools);
  try {
    return await ask(step, fromEtag, condition, tools.store);
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    // Stores have many ways of not knowing a header.
    if (condition && (error.kind === "conditions-unsupported" || error.kind === "other")) {
      conditions.copies = false;
      return tryCopy(step, tools);
    }
    if (error.kind !== "precondition") throw error;
    const found = await findOwnCopy(step, tools.store);
    if (found) return found;
    await assertUntouched(step, tools.store, error);
    return copyByLooking(step, condition, tools);
  }
}

const ask = (
  { from, to, headers, size, freshEtag }: PinnedCopy,
  etag: string | undefined,
  condition: Condition | undefined,
  store: ObjectStore,
): Promise<Written> => store.copy({ key: from, etag, size, freshEtag }, to, headers, condition);

/**
 * A right condition was refused: some stores can't compare the ETag of an object that was sent in parts, or know nothing of
 * targets. Then a look before the copy and one after it tell whether the source stayed the same.
 */
async function copyByLooking(
  step: PinnedCopy,
  condition: Condition | undefined,
  tools: PerformTools,
): Promise<Written> {
  const { store, conditions } = tools;
  const { from, fromEtag, to, expected } = step;
  await assertUntouched(step, store);
  let written: Written | undefined;
  if (condition && fromEtag !== undefined) {
    written = await ask(step, undefined, condition, store).catch(async (error: unknown) => {
      if (!(error instanceof StoreError) || error.kind !== "precondition") throw error;
      const found = await findOwnCopy(step, store);
      if (!found) await assertUntouched(step, store, error);
      return found;
    });
    if (written && isOfParts(fromEtag)) conditions.sourcesOfParts = false;
  }
  if (!written) {
    conditions.copies = false;
    written = await ask(step, undefined, undefined, store);
  }
  if (from === to || fromEtag === undefined || (await store.head(from))?.etag === fromEtag) return written;
  // It was written over just then: what was copied may be something else.
  if (expected === "absent") await store.remove([to]);
  throw new OperatorError("changed-meanwhile", { key: from });
}

/** Nobody is told that something was changed unless it was. */
async function assertUntouched(
  { from, fromEtag, to, expected }: PinnedCopy,
  store: ObjectStore,
  cause?: StoreError,
): Promise<void> {
  const source = await store.head(from);
  if (!source || (fromEtag !== undefined && source.etag !== fromEtag))
    throw new OperatorError("changed-meanwhile", { key: from }, {}, cause);
  const target = from === to ? source : await store.head(to);
  if (target?.etag !== (expected === "absent" ? undefined : expected.etag))
    throw new OperatorError("changed-meanwhile", { key: to }, {}, cause);
}

/** A try whose answer was lost has made the copy: what stands there tells. */
async function findOwnCopy(step: PinnedCopy, store: ObjectStore): Promise<Written | undefined> {
  const { fromEtag, to, headers, size, storedHash, expected } = step;
  const found = await store.head(to);
  const isStill = expected !== "absent" && found?.etag === expected.etag;
  if (!found || isStill || found.size !== size) return undefined;
  if (headers && store.carriesHeaders && !hasSameHeaders(found.headers, headers)) return undefined;
  const isKnown =
    fromEtag !== undefined && (found.etag === fromEtag || found.etag === toOnePartEtag(fromEtag));
  const hash = isKnown ? storedHash : (found.hash ?? (await hashStanding(store, to))?.hash);
  return hash === storedHash ? { etag: found.etag } : undefined;
}

/** The ETag of an object that was put together from parts is no MD5, and has their number at its end. */
const isOfParts = (etag: string | undefined): boolean => /^[0-9a-f]{32}-\d+$/.test(etag ?? "");

/** The ETag of the same bytes put together from one part: the MD5 of their MD5, and the number of parts. */
const toOnePartEtag = (etag: string): string =>
  `${createHash("md5").update(Buffer.from(etag, "hex")).digest("hex")}-1`;
