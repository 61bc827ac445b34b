import { selectOver, toFoundPreviews, toRemovalOrder, type FoundPreview } from "../core/history/previews.ts";
import { HOLD_KEY, POINTER_KEY, vaultKey, type ObjectKey } from "../core/model/names.ts";
import { OperatorError } from "../core/model/failure.ts";
import { listAll } from "../gather/list-objects.ts";
import { readOpen } from "../gather/read-destination.ts";
import { toRecordText, readWhole } from "../ports/read-whole.ts";
import { parsePointer } from "../core/history/waybill.ts";
import { lookAtHold } from "../perform/hold.ts";
import type { ObjectStore } from "../ports/object-store.ts";
import { withHold } from "./hold.ts";
import type { Stay } from "./run.ts";

/** All previews of a destination. @param store what stands below what all their keys begin with */
export async function listPreviews(store: ObjectStore): Promise<FoundPreview[]> {
  const { listing, storeTimeMs } = await listAll(store);
  const found = toFoundPreviews(listing, storeTimeMs);
  return Promise.all(
    found.map(async (preview) => ({ ...preview, pointer: await tryReadPointer(store, preview.label) })),
  );
}

/** Those whose time is over: also what a run has left that never came to its end. */
export const listOver = async (store: ObjectStore): Promise<FoundPreview[]> =>
  selectOver(await listPreviews(store));

async function tryReadPointer(store: ObjectStore, label: string): Promise<FoundPreview["pointer"]> {
  const key = `${label}/${POINTER_KEY}`;
  const found = await store.get(key);
  if (!found) return undefined;
  try {
    return parsePointer(toRecordText(await readWhole(found, key), key));
  } catch (error) {
    if (error instanceof OperatorError) return "unreadable";
    throw error;
  }
}

/**
 * Removes a preview, while it is held: its pages, then all that they load, then its records, the pointer after the others, and
 * the hold itself last. Only what stands below its prefix is ever named. *Fail:* a part of it is left, with its pointer or its
 * hold; the same call, or the next `prune`, removes the rest. Throws `held`, `hold-lost`.
 */
export async function removePreview(stay: Stay, queueSeconds: number): Promise<void> {
  const { run, place } = stay;
  const { store } = place;
  await withHold(stay, { work: "remove", queueSeconds }, async () => {
    const { listing } = await listAll(store);
    const { open } = await readOpen(store, listing);
    const written = open.flatMap(({ parcels, originals }) => [...parcels, ...originals]);
    const uploads = new Set(written.flatMap(({ key, storedHash }) => [key, vaultKey(storedHash)]));
    if (uploads.size > 0) await store.abandonUploads(uploads);
    for (const keys of toRemovalOrder(listing))
      for (let start = 0; start < keys.length; start += BATCH) {
        run.interruption.assertGoesOn();
        await store.remove(keys.slice(start, start + BATCH));
      }
  });
  await removeHold(store, run.name);
}

const BATCH = 1000;

/** Nobody may have taken it meanwhile: then it is somebody else's, who makes this preview anew. */
async function removeHold(store: ObjectStore, run: string): Promise<void> {
  const seen = await lookAtHold(store);
  if (seen?.hold?.run !== run || !seen.hold.isReleased) return;
  await store.remove([HOLD_KEY], new Map<ObjectKey, string>([[HOLD_KEY, seen.etag]]));
}
