import { hash } from "node:crypto";
import { OperatorError } from "../core/model/failure.ts";
import type { Hold } from "../core/model/hold.ts";
import { POINTER_KEY, RELEASES_PREFIX } from "../core/model/names.ts";
import type { Pointer, Waybill } from "../core/model/release.ts";
import { findReleaseDifferences, type ReleaseDifference } from "../core/compare/release-differences.ts";
import { decideRepair, type FoundWaybill } from "../core/history/repair.ts";
import { listAll } from "../gather/list-objects.ts";
import { parseWaybillBytes, readOpen, readPointer, tryReadWaybill } from "../gather/read-destination.ts";
import { MOST_WAYBILL_BYTES, readWhole } from "../ports/read-whole.ts";
import { endHold, lookAtHold, type SeenHold } from "../perform/hold.ts";
import { switchPointer } from "../perform/record.ts";
import { withHold } from "./hold.ts";
import { readNamed } from "./named-release.ts";
import type { Place, Stay } from "./run.ts";

export interface ReleaseList {
  readonly pointer: Pointer;
  /** Newest first; undefined where a record can't be read. */
  readonly waybills: readonly { readonly release: number; readonly waybill: Waybill | undefined }[];
}

/** All releases that can be put back. */
export async function listReleases({ store, destination }: Place): Promise<ReleaseList> {
  const pointer = await readStanding(store, destination);
  const waybills = await Promise.all(
    pointer.retained.map(async (release) => ({
      release: release.release,
      waybill: await tryReadWaybill(store, release),
    })),
  );
  return { pointer, waybills };
}

/** One release, by its name. Throws `no-such-release`. */
export const readRelease = async ({ store, destination }: Place, name: string): Promise<Waybill> =>
  readNamed(store, await readStanding(store, destination), name);

export interface ReleaseComparison {
  readonly from: Waybill;
  readonly to: Waybill;
  readonly differences: readonly ReleaseDifference[];
}

/** What changed from one release to another. */
export async function compareReleases(
  { store, destination }: Place,
  names: readonly [string, string],
): Promise<ReleaseComparison> {
  const pointer = await readStanding(store, destination);
  const from = await readNamed(store, pointer, names[0]);
  const to = await readNamed(store, pointer, names[1]);
  return { from, to, differences: findReleaseDifferences(from, to) };
}

/** Who holds the destination, or held it last; undefined: nobody ever did. */
export const showHold = ({ store }: Place): Promise<SeenHold | undefined> => lookAtHold(store);

/** Ends the hold of another run, which notices before its next write. @returns whose it was; undefined: nobody's */
export async function takeAwayHold({ store }: Place): Promise<Hold | undefined> {
  const seen = await lookAtHold(store);
  if (!seen || seen.hold?.isReleased === true) return undefined;
  await endHold(store, seen);
  return seen.hold;
}

/**
 * Makes a lost or damaged pointer anew out of the waybills that stand, while no other run works there. Throws
 * `nothing-to-repair` where the pointer and its waybill can be read, `nothing-delivered` where there is no waybill, `held`.
 */
export const repairReleases = (stay: Stay): Promise<Pointer> =>
  withHold(stay, { work: "repair", queueSeconds: 0 }, () => repair(stay.place));

async function repair({ store, destination, siteRules, edges }: Place): Promise<Pointer> {
  const standing = await store.get(POINTER_KEY);
  if (standing) await readWhole(standing, POINTER_KEY);
  if (standing && (await isWhole(store))) throw new OperatorError("nothing-to-repair");
  const { listing } = await listAll(store);
  const { open } = await readOpen(store, listing);
  const found: FoundWaybill[] = [];
  for (const { key } of listing.filter((object) => object.key.startsWith(RELEASES_PREFIX))) {
    const record = await store.get(key);
    if (!record) continue;
    const bytes = await readWhole(record, key, MOST_WAYBILL_BYTES);
    try {
      found.push({ waybill: await parseWaybillBytes(bytes, key), waybillHash: hash("sha256", bytes) });
    } catch (error) {
      if (!(error instanceof OperatorError)) throw error;
    }
  }
  const unended = new Set(open.map(({ run }) => run));
  const pointer = decideRepair({ found, unended, listing, addressRules: siteRules.addressRules, edges });
  if (!pointer) throw new OperatorError("nothing-delivered", { destination });
  await switchPointer(store, pointer, standing?.etag);
  return pointer;
}

async function isWhole(store: Place["store"]): Promise<boolean> {
  try {
    const [current] = (await readPointer(store))?.pointer.retained ?? [];
    return !current || (await tryReadWaybill(store, current)) !== undefined;
  } catch (error) {
    if (error instanceof OperatorError && error.code === "record-unreadable") return false;
    throw error;
  }
}

async function readStanding(store: Place["store"], destination: string): Promise<Pointer> {
  const found = await readPointer(store);
  if (found) return found.pointer;
  for await (const { objects } of store.list(RELEASES_PREFIX))
    if (objects.length > 0) throw new OperatorError("record-lost", { destination, key: POINTER_KEY });
  throw new OperatorError("nothing-delivered", { destination });
}
