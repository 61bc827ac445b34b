import { listAddresses, parseAddress } from "../addresses/addresses.ts";
import type { UrlPath } from "../model/names.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import { isPageLike } from "../model/role.ts";
import { isPage, type ReleaseTime, type SiteIndex, type Standing } from "./site-index.ts";
import type { AddressCount, MissingCount, Tally } from "./tally.ts";
import type { LateAddress, LetGoAssets, MissingAddress, RemovedAddress, Traffic } from "./traffic.ts";

/** Of each kind; what is left out is counted. */
const MOST_NEVER = 20;
const MOST_LINKS = 3;
/** Most logs give times in whole seconds, rounded down. */
const SECOND_MS = 1000;

type Of<K extends Standing["is"]> = Extract<Standing, { is: K }>;

/** An address that was missing, and all that was counted of it. */
interface Found {
  readonly address: UrlPath;
  readonly count: AddressCount;
  readonly missing: MissingCount;
}

/** Tells apart what answered 404 or 410: assets that were let go of, what was removed, what came late, what never was. */
export function judgeMissing(tally: Tally): Traffic["missing"] {
  const { site, known, unknown } = tally;
  const foundOf = (counts: Tally["known"]): Found[] =>
    counts
      .top(Infinity)
      .flatMap(([address, count]) => (count.missing ? [{ address, count, missing: count.missing }] : []));
  const ours = foundOf(known);
  const others = foundOf(unknown);
  const isOf = <K extends Standing["is"]>(is: K, { count }: Found): Of<K> | undefined =>
    count.standing?.is === is ? (count.standing as Of<K>) : undefined;
  const once = others.filter(
    ({ count, missing }) => count.answeredMs > 0 && count.answeredMs < missing.lastMs,
  );
  const never = others.filter((one) => !once.includes(one));
  const requests = (found: readonly Found[]): number =>
    found.reduce((sum, { missing }) => sum + missing.count, 0);
  const all = tally.groups.missing.count;
  return {
    requests: all,
    letGo: groupLetGo(
      site,
      ours.map((one) => ({ ...one, asset: isOf("asset", one) })),
    ),
    removed: [
      ...ours.flatMap((one) => {
        const removed = isOf("removed", one);
        return removed ? [toRemoved(site, one, removed)] : [];
      }),
      ...once.map((one) => ({ ...toMissing(one), leadsTo: findSuccessorOfAddress(site, one.address) })),
    ].sort(byRequests),
    late: ours
      .flatMap((one) => {
        const current = isOf("current", one);
        return current ? [toLate(site, one, current)] : [];
      })
      .sort(byRequests),
    never: never.map(toMissing).sort(byRequests).slice(0, MOST_NEVER),
    neverAddresses: never.length + unknown.letGo,
    // Those of which there was no room to keep more than the number are among them.
    neverRequests: all - requests([...ours, ...once]),
  };
}

const byRequests = (a: MissingAddress, b: MissingAddress): number =>
  b.requests - a.requests || (a.address < b.address ? -1 : 1);

const toIso = (ms: number): string => new Date(ms).toISOString();

const toMissing = ({ address, missing }: Found): MissingAddress => ({
  address,
  ...{ requests: missing.count, people: missing.people },
  ...{ first: toIso(missing.firstMs), last: toIso(missing.lastMs) },
  referrers: (missing.referrers?.top(MOST_LINKS) ?? []).map(([from, { count, isOwn }]) => ({
    address: from,
    requests: count,
    isOwn,
  })),
});

/** The release that came after another one. */
const nextOf = (times: readonly ReleaseTime[], release: number): ReleaseTime | undefined =>
  times.find((one) => one.release > release);

/** Assets by the last release that listed them, the newest first. */
function groupLetGo(
  site: SiteIndex,
  found: readonly (Found & { readonly asset: Of<"asset"> | undefined })[],
): LetGoAssets[] {
  const groups = new Map<number, Found[]>();
  for (const one of found) {
    if (!one.asset) continue;
    const release = one.asset.lastIn ?? 0;
    groups.set(release, [...(groups.get(release) ?? []), one]);
  }
  return [...groups]
    .sort(([a], [b]) => b - a)
    .map(([release, group]): LetGoAssets => {
      const addresses = group.map(toMissing).sort(byRequests);
      const lastPersonMs = Math.max(...group.map(({ missing }) => missing.lastPersonMs));
      const next = release === 0 ? undefined : nextOf(site.times, release);
      return {
        release: release === 0 ? undefined : release,
        superseded: next && toIso(next.atMs),
        addresses,
        requests: addresses.reduce((sum, { requests }) => sum + requests, 0),
        people: addresses.reduce((sum, { people }) => sum + people, 0),
        needed:
          lastPersonMs > 0 && next ? decideNeeded(site.times, release, next.atMs, lastPersonMs) : undefined,
        isRetained: site.retained.has(release),
      };
    });
}

/** What would have kept a release's assets until then: either of the two is enough, since both must have passed. */
function decideNeeded(
  times: readonly ReleaseTime[],
  release: number,
  supersededMs: number,
  untilMs: number,
): LetGoAssets["needed"] {
  const then =
    times.findLast(({ atMs }) => Math.floor(atMs / SECOND_MS) * SECOND_MS <= untilMs)?.release ?? release;
  return {
    releases: Math.max(then - release + 1, 1),
    seconds: Math.max(Math.ceil((untilMs - supersededMs) / 1000), 1),
  };
}

function toRemoved(site: SiteIndex, found: Found, { key, lastIn, hash }: Of<"removed">): RemovedAddress {
  const next = nextOf(site.times, lastIn);
  return {
    ...toMissing(found),
    release: lastIn,
    removedBy: next && { release: next.release, at: toIso(next.atMs) },
    leadsTo: findSuccessor(site, key, hash),
  };
}

function toLate(site: SiteIndex, found: Found, { since }: Of<"current">): LateAddress {
  const brought = site.times.find(({ release }) => release === since);
  const isLater = brought !== undefined && brought.atMs > found.missing.firstMs;
  return {
    ...toMissing(found),
    since: isLater ? { release: brought.release, at: toIso(brought.atMs) } : undefined,
  };
}

/** Where those who ask for what is gone could be sent: to the same content, to a page of that name, or one level up. */
function findSuccessor(site: SiteIndex, key: string, hash?: string): RemovedAddress["leadsTo"] {
  const { current, rules } = site;
  const pages = [...current.values()].filter(
    ({ role, aliasOf }) => isPageLike(role) && role !== "notFound" && aliasOf === undefined,
  );
  const isAPage = isPage(key, rules);
  const same = (isAPage ? pages : [...current.values()]).find(({ storedHash }) => storedHash === hash);
  if (same) return { address: addressOf(site, same), because: "content" };
  const name = nameOf(key, rules.indexName);
  const named =
    isAPage && name !== "" ? pages.filter((page) => nameOf(page.key, rules.indexName) === name) : [];
  if (named.length === 1) return { address: addressOf(site, named[0] as RecordedParcel), because: "name" };
  const parts = key.split("/").slice(0, key.endsWith(`/${rules.indexName}`) ? -2 : -1);
  for (let length = parts.length; length >= 0; length -= 1) {
    const above = current.get([...parts.slice(0, length), rules.indexName].join("/"));
    if (above) return { address: addressOf(site, above), because: "above" };
  }
  return undefined;
}

/** The same for an address of which only the log knows that it once answered. */
function findSuccessorOfAddress(site: SiteIndex, address: UrlPath): RemovedAddress["leadsTo"] {
  const key = parseAddress(address, site.rules.basePath);
  if (key === undefined) return undefined;
  return findSuccessor(site, key === "" || key.endsWith("/") ? key + site.rules.indexName : key);
}

/** What a page is called: its folder's name, or its own without the ending. */
function nameOf(key: string, indexName: string): string {
  const parts = key.split("/");
  const last = parts.at(-1) ?? "";
  return last === indexName ? (parts.at(-2) ?? "") : last.replace(/\.html$/, "");
}

/** The address that people see: of a folder without the name of its index. */
function addressOf({ rules }: SiteIndex, { key }: RecordedParcel): UrlPath {
  const [own = "", folder = own] = listAddresses(key, rules);
  return key === rules.indexName || key.endsWith(`/${rules.indexName}`) ? folder : own;
}
