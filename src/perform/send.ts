import { createHash } from "node:crypto";
import { OperatorError } from "../core/model/failure.ts";
import type { ObjectKey, Sha256 } from "../core/model/names.ts";
import { hasSameHeaders, type Parcel } from "../core/model/parcel.ts";
import type { Expected, SendStep } from "../core/model/plan.ts";
import { StoreError, type Condition, type ObjectStore, type Written } from "../ports/object-store.ts";
import type { PerformTools } from "./perform-tools.ts";

/** Sends a file of the build. Throws `build-changed` where its bytes are others by now, `changed-meanwhile` where another state stands. */
export async function send(
  { parcel, to: key = parcel.key, expected }: Pick<SendStep, "parcel" | "to" | "expected">,
  { store, open, conditions }: PerformTools,
): Promise<Written> {
  const { headers } = parcel;
  try {
    return await store.put(key, open(parcel), headers, conditions.sends ? toCondition(expected) : undefined);
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    // The store itself refused bytes that are no longer those of the scan.
    if (error.kind === "integrity") throw new OperatorError("build-changed", { path: parcel.key }, {}, error);
    if (error.kind !== "precondition") throw error;
    const found = await findOwn(store, key, parcel);
    if (found) return found;
    throw new OperatorError("changed-meanwhile", { key }, {}, error);
  }
}

/** The condition of a write by which what it expects is still there. */
export const toCondition = (expected: Expected): Condition =>
  expected === "absent" ? { ifAbsent: true } : { ifEtag: expected.etag };

/** A failed condition may be our own success whose answer was lost: what stands there tells. */
async function findOwn(
  store: ObjectStore,
  key: ObjectKey,
  { storedHash, headers }: Parcel,
): Promise<Written | undefined> {
  const found = await hashStanding(store, key);
  const isOwn =
    found?.hash === storedHash && (!store.carriesHeaders || hasSameHeaders(found.headers, headers));
  return isOwn ? { etag: found.etag } : undefined;
}

/** What stands under a key, read to its end. */
export async function hashStanding(
  store: ObjectStore,
  key: ObjectKey,
): Promise<
  { readonly etag: string; readonly headers: Parcel["headers"]; readonly hash: Sha256 } | undefined
> {
  const found = await store.get(key);
  if (!found) return undefined;
  const sum = createHash("sha256");
  for await (const chunk of found.body) sum.update(chunk);
  return { etag: found.etag, headers: found.headers, hash: sum.digest("hex") };
}
