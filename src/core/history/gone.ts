import type { ObjectKey } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import type { Waybill } from "../model/release.ts";
import { isAssetLike } from "../model/role.ts";

/** Keys of pages and other files that are in the site no more, by the last release that had them. */
export type GoneFiles = Readonly<Record<string, readonly ObjectKey[]>>;

/** A record must stay small, however often a site changes all its addresses. */
const MOST_GONE = 5000;

/**
 * What is in the site no more once these parcels stand: that is remembered for longer than releases are, since others go on
 * linking there. Assets are not among it: the names that were once immutable tell of these.
 */
export function extendGone(
  waybill: Pick<Waybill, "release" | "parcels" | "gone"> | undefined,
  parcels: readonly Parcel[],
): GoneFiles {
  if (!waybill) return {};
  const there = new Set(parcels.map(({ key }) => key));
  const own = waybill.parcels
    .filter(({ role, aliasOf, key }) => !isAssetLike(role) && aliasOf === undefined && !there.has(key))
    .map(({ key }) => key);
  const again = new Set([...there, ...own]);
  let room = MOST_GONE;
  const all: GoneFiles = { ...waybill.gone, [waybill.release]: own };
  const newestFirst = Object.entries(all).sort(([a], [b]) => Number(b) - Number(a));
  const kept = newestFirst.flatMap(([release, keys]) => {
    const still = Number(release) === waybill.release ? keys : keys.filter((key) => !again.has(key));
    const some = still.slice(0, room);
    room -= some.length;
    return some.length === 0 ? [] : [[release, some] as const];
  });
  return Object.fromEntries(kept);
}
