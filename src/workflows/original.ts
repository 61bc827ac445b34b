import { recordedByKey } from "../core/compare/key-state.ts";
import { selectForgotten } from "../core/history/forgotten.ts";
import { OperatorError } from "../core/model/failure.ts";
import { FORGOTTEN_PREFIX, type Sha256 } from "../core/model/names.ts";
import type { ListedObject } from "../core/model/parcel.ts";
import type { OutsideContent } from "../core/model/plan.ts";
import type { DestinationState } from "../core/model/release.ts";
import { readPointer, tryReadWaybill } from "../gather/read-destination.ts";
import { StoreError, type ObjectStore } from "../ports/object-store.ts";
import type { PreviewPlace } from "./run.ts";

/** What a preview takes from the destination that it is of. */
interface Original {
  /** Where contents stand there. */
  readonly contents: ReadonlyMap<Sha256, OutsideContent>;
  /** Contents that were removed there for good. */
  readonly forgotten: ReadonlySet<Sha256>;
}

/**
 * Looks at the destination that a preview is of, by what its own records say: two reads, and a list of the contents that are
 * not to come back. What has changed there since is found out when it is copied. Nothing where its records can't be read:
 * then everything is sent.
 */
export async function lookAtOriginal({ original }: PreviewPlace): Promise<Original> {
  const { store, place } = original;
  const state = await tryReadState(store);
  const listing = await listForgotten(store);
  const contents = new Map<Sha256, OutsideContent>();
  // A folder copies from itself alone.
  if (place.bucket !== "")
    for (const { key, storedHash, etag, size } of recordedByKey(state).values())
      if (etag !== undefined && size > 0) contents.set(storedHash, { place, key, etag });
  return { contents, forgotten: selectForgotten({ ...state, listing }) };
}

async function tryReadState(store: ObjectStore): Promise<DestinationState> {
  try {
    const pointer = (await readPointer(store))?.pointer;
    const newest = pointer?.retained[0];
    const waybill = newest && (await tryReadWaybill(store, newest));
    return { listing: [], storeTimeMs: 0, ...(pointer && { pointer }), ...(waybill && { waybill }) };
  } catch (error) {
    if (error instanceof StoreError || error instanceof OperatorError) return { listing: [], storeTimeMs: 0 };
    throw error;
  }
}

/** Whoever may not look there is told nothing; any other failure ends the run, or what was forgotten might come back. */
async function listForgotten(store: ObjectStore): Promise<ListedObject[]> {
  const listing: ListedObject[] = [];
  try {
    for await (const { objects } of store.list(FORGOTTEN_PREFIX)) listing.push(...objects);
    return listing;
  } catch (error) {
    if (error instanceof StoreError && error.kind === "denied") return [];
    throw error;
  }
}
