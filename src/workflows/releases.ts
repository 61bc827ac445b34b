import { hash } from "node:crypto";
import { OperatorError } from "../core/model/failure.ts";
import type { Hold } from "../core/model/hold.ts";
import { POINTER_KEY, RELEASES_PREFIX } from "../core/model/names.ts";
import type { Pointer, Waybill } from "../core/model/release.ts";
import { findReleaseDifferences, type ReleaseDifference } from "../core/compare/release-differences.ts";
import { findRelease, listReleaseNames } from "../core/history/release-names.ts";
import { decideRepair, type FoundWaybill } from "../core/history/repair.ts";
import {
  listAll,
  parseWaybillBytes,
  readAll,
  readOpen,
  readPointer,
  readWaybill,
} from "../gather/read-destination.ts";
import { endHold, lookAtHold, type SeenHold } from "../perform/hold.ts";
import { switchPointer } from "../perform/record.ts";
import type { Delivery } from "./delivery.ts";
import { withHold } from "./run-release.ts";

export interface ReleaseList {
  readonly pointer: Pointer;
  /** Newest first; undefined where a record can't be read. */
  readonly waybills: readonly { readonly release: number; readonly waybill: Waybill | undefined }[];
}

/** All releases that can be put back. */
export async function listReleases({ store, target }: Delivery): Promise<ReleaseList> {
  const pointer = await readStanding(store, target.destination);
  const waybills = await Promise.all(
    pointer.retained.map(async (release) => ({
      release: release.release,
      waybill: await readWaybill(store, release).catch((error: unknown) => {
        if (error instanceof OperatorError && error.code === "record-unreadable") return undefined;
        throw error;
      }),
    })),
  );
  return { pointer, waybills };
}

export async function readRelease({ store, target }: Delivery, name: string): Promise<Waybill> {
  const pointer = await readStanding(store, target.destination);
  return readNamed(store, pointer, name);
}

export interface ReleaseComparison {
  readonly from: Waybill;
  readonly to: Waybill;
  readonly differences: readonly ReleaseDifference[];
}

/** What changed from one release to another. */
export async function compareReleases(
  { store, target }: Delivery,
  names: readonly [string, string],
): Promise<ReleaseComparison> {
  const pointer = await readStanding(store, target.destination);
  const from = await readNamed(store, pointer, names[0]);
  const to = await readNamed(store, pointer, names[1]);
  return { from, to, differences: findReleaseDifferences(from, to) };
}

/** Who holds the destination, or held it last; undefined: nobody ever did. */
export const showHold = ({ store }: Delivery): Promise<SeenHold | undefined> => lookAtHold(store);

/** Ends the hold of another run, which notices before its next write. @returns whose it was; undefined: nobody's */
export async function takeAwayHold({ store }: Delivery): Promise<Hold | undefined> {
  const seen = await lookAtHold(store);
  if (!seen || seen.hold?.isReleased === true) return undefined;
  await endHold(store, seen);
  return seen.hold;
}

/**
 * Makes a lost or damaged pointer anew out of the waybills that stand, while no other run works there. Throws
 * `nothing-to-repair` where the pointer and its waybill can be read, `nothing-delivered` where there is no waybill, `held`.
 */
export const repairReleases = (delivery: Delivery): Promise<Pointer> =>
  withHold(delivery, { work: "repair", queueSeconds: 0 }, () => repair(delivery));

async function repair({ store, target, edges }: Delivery): Promise<Pointer> {
  const standing = await store.get(POINTER_KEY);
  if (standing) await readAll(standing);
  if (standing && (await isWhole(store))) throw new OperatorError("nothing-to-repair");
  const { listing } = await listAll(store);
  const { open } = await readOpen(store, listing);
  const found: FoundWaybill[] = [];
  for (const { key } of listing.filter((object) => object.key.startsWith(RELEASES_PREFIX))) {
    const record = await store.get(key);
    if (!record) continue;
    const bytes = await readAll(record);
    try {
      found.push({ waybill: parseWaybillBytes(bytes, key), waybillHash: hash("sha256", bytes) });
    } catch (error) {
      if (!(error instanceof OperatorError)) throw error;
    }
  }
  const unended = new Set(open.map(({ run }) => run));
  const pointer = decideRepair({ found, unended, listing, addresses: target.addresses, edges });
  if (!pointer) throw new OperatorError("nothing-delivered", { destination: target.destination });
  await switchPointer(store, pointer, standing?.etag);
  return pointer;
}

async function isWhole(store: Delivery["store"]): Promise<boolean> {
  try {
    const [current] = (await readPointer(store))?.pointer.retained ?? [];
    if (current) await readWaybill(store, current);
    return true;
  } catch (error) {
    if (error instanceof OperatorError && error.code === "record-unreadable") return false;
    throw error;
  }
}

async function readStanding(store: Delivery["store"], destination: string): Promise<Pointer> {
  const found = await readPointer(store);
  if (found) return found.pointer;
  for await (const { objects } of store.list(RELEASES_PREFIX))
    if (objects.length > 0) throw new OperatorError("record-lost", { destination, key: POINTER_KEY });
  throw new OperatorError("nothing-delivered", { destination });
}

function readNamed(store: Delivery["store"], pointer: Pointer, name: string): Promise<Waybill> {
  const found = findRelease(name, pointer);
  if (!found) throw new OperatorError("no-such-release", { name, names: listReleaseNames(pointer) });
  return readWaybill(store, found);
}
