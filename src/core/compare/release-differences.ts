import { byText, type ObjectKey } from "../model/names.ts";
import { hasSameHeaders } from "../model/parcel.ts";
import type { Role } from "../model/role.ts";
import type { Waybill } from "../model/release.ts";

export const DIFFERENCES = ["new", "moved", "replaced", "relabelled", "removed"] as const;
type DifferenceKind = (typeof DIFFERENCES)[number];

export interface ReleaseDifference {
  readonly key: ObjectKey;
  readonly change: DifferenceKind;
  readonly role: Role;
  readonly size: number;
}

/** What the second release has, aliases left out, that the first had not, had otherwise, or had no more; sorted by key. */
export function findReleaseDifferences(from: Waybill, to: Waybill): ReleaseDifference[] {
  const ofBuild = ({ parcels }: Waybill) => parcels.filter(({ aliasOf }) => aliasOf === undefined);
  const before = new Map(from.parcels.map((parcel) => [parcel.key, parcel]));
  const after = new Set(to.parcels.map(({ key }) => key));
  const contents = new Set(from.parcels.map(({ storedHash }) => storedHash));
  const changed = ofBuild(to).flatMap((parcel): ReleaseDifference[] => {
    const { key, role, size, storedHash, headers } = parcel;
    const known = before.get(key);
    const entry = (change: DifferenceKind): ReleaseDifference[] => [{ key, change, role, size }];
    if (!known) return entry(contents.has(storedHash) && size > 0 ? "moved" : "new");
    if (known.storedHash !== storedHash) return entry("replaced");
    return hasSameHeaders(known.headers, headers) ? [] : entry("relabelled");
  });
  const removed = ofBuild(from)
    .filter(({ key }) => !after.has(key))
    .map(({ key, role, size }): ReleaseDifference => ({ key, change: "removed", role, size }));
  return [...changed, ...removed].sort((a, b) => byText(a.key, b.key));
}
