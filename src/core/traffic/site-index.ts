import { encodeKey, listAddresses, type AddressRules } from "../addresses/addresses.ts";
import type { ImmutableNames } from "../model/immutable-names.ts";
import type { ObjectKey, UrlPath } from "../model/names.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import type { RetainedRelease, Waybill } from "../model/release.ts";
import { isAssetLike, type Role } from "../model/role.ts";

/** A release, and when it became the current one. */
export interface ReleaseTime {
  readonly release: number;
  /** Milliseconds since 1970. */
  readonly atMs: number;
}

/** All that is on record of a site: what its logs are held against. */
export interface SiteRecords {
  /** Releases that are retained, the newest first; the first is the current one. */
  readonly waybills: readonly Waybill[];
  /** Names that were once delivered as immutable. */
  readonly names: ImmutableNames;
  /** When releases were made, the oldest first; those that were let go of as well, as far as that is known. */
  readonly times: readonly ReleaseTime[];
  readonly rules: AddressRules;
}

/** What an address is to the site. */
export type Standing =
  /** It answers. `since`: the first retained release that has it, where an earlier one has not. */
  | {
      readonly is: "current";
      readonly key: ObjectKey;
      readonly role: Role;
      readonly since?: number | undefined;
    }
  /** An asset of an earlier release that stands no more. `lastIn`: the last release that listed it, where that is known. */
  | { readonly is: "asset"; readonly key: ObjectKey; readonly lastIn?: number | undefined }
  /** Something else of an earlier release. */
  | {
      readonly is: "removed";
      readonly key: ObjectKey;
      readonly role: Role;
      readonly lastIn: number;
      /** Absent: its record was let go of. */
      readonly hash?: string | undefined;
    };

export interface SiteIndex {
  /** @param path percent-encoded, without a query */
  readonly find: (path: UrlPath) => Standing | undefined;
  readonly times: readonly ReleaseTime[];
  /** Releases whose records stand. */
  readonly retained: ReadonlySet<number>;
  /** What stands now, by key. */
  readonly current: ReadonlyMap<ObjectKey, RecordedParcel>;
  readonly rules: AddressRules;
}

/** When releases were made, as far as any record knows: of those that were let go of, what their assets' names still tell. */
export function findReleaseTimes(
  retained: readonly Pick<RetainedRelease, "release" | "at">[],
  names: ImmutableNames,
): ReleaseTime[] {
  const times = new Map<number, number>();
  for (const { lastIn, supersededMs } of names.values())
    if (lastIn !== undefined && supersededMs !== undefined) times.set(lastIn + 1, supersededMs);
  for (const { release, at } of retained) if (release > 0) times.set(release, Date.parse(at));
  return [...times].map(([release, atMs]) => ({ release, atMs })).sort((a, b) => a.release - b.release);
}

/** Makes the addresses of a site ready to be looked up. */
export function createSiteIndex({ waybills, names, times, rules }: SiteRecords): SiteIndex {
  const known = new Map<UrlPath, Standing>();
  const [newest, ...older] = waybills;
  const current = new Map((newest?.parcels ?? []).map((parcel) => [parcel.key, parcel]));
  const note = (key: ObjectKey, standing: Standing): void => {
    for (const address of listAddresses(key, rules)) if (!known.has(address)) known.set(address, standing);
  };
  const retained = new Set(waybills.map(({ release }) => release));
  const earlier = older.map(({ release, parcels }) => ({
    release,
    keys: new Set(parcels.map(({ key }) => key)),
  }));
  for (const { key, role } of [...current.values(), ...(newest?.standing ?? [])])
    note(key, { is: "current", key, role, since: findSince(key, newest?.release ?? 0, earlier) });
  for (const { release, parcels } of older)
    for (const { key, role, storedHash } of parcels)
      if (isAssetLike(role)) note(key, { is: "asset", key, lastIn: release });
      else note(key, { is: "removed", key, role, lastIn: release, hash: storedHash });
  for (const [release, keys] of Object.entries(newest?.gone ?? {}))
    for (const key of keys)
      note(key, {
        is: "removed",
        key,
        role: isPage(key, rules) ? "page" : "document",
        lastIn: Number(release),
      });
  for (const [key, { lastIn }] of names) note(key, { is: "asset", key, lastIn });
  return { find: (path) => known.get(path) ?? known.get(normalise(path)), times, retained, current, rules };
}

/** Whether a name is that of a page. */
export const isPage = (key: ObjectKey, { indexName }: AddressRules): boolean =>
  key === indexName || key.endsWith(`/${indexName}`) || key.endsWith(".html");

/** The release that brought a key; undefined: the oldest one of which anything is known had it already. */
function findSince(
  key: ObjectKey,
  newest: number,
  earlier: readonly { readonly release: number; readonly keys: ReadonlySet<ObjectKey> }[],
): number | undefined {
  let since = newest;
  for (const { release, keys } of earlier) {
    if (!keys.has(key)) return since;
    since = release;
  }
  return undefined;
}

/** An address as it is written in the index: clients encode more, or less, than they must. */
function normalise(path: UrlPath): UrlPath {
  try {
    return encodeKey(decodeURIComponent(path));
  } catch {
    return path;
  }
}
