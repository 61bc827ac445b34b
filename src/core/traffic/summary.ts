import { parseEdgeFreshness } from "../model/cache-control.ts";
import type { ObjectHeaders } from "../model/parcel.ts";
import { AGENT_KINDS } from "./agents.ts";
import { findDips } from "./dips.ts";
import { judgeMissing } from "./missing.ts";
import type { AddressCount, Count, SpanCount, Tally } from "./tally.ts";
import {
  TRAFFIC_GROUPS,
  type AddressSums,
  type NeverHit,
  type Span,
  type Sums,
  type Traffic,
} from "./traffic.ts";

/** How many of each are told. */
const [MOST_ADDRESSES, MOST_SLOW, MOST_HOSTS, MOST_SPANS] = [20, 10, 10, 240];
/** Requests below which an address says nothing of how long it takes, or of whether it can be a hit. */
const [LEAST_TIMED, LEAST_NEVER, LEAST_UNEXPLAINED] = [5, 5, 20];

/** What was counted, as facts. */
export function summarise(tally: Tally): Traffic {
  const { all, groups, statuses, agents, known, unknown, hosts, spans, firstMs, lastMs, site } = tally;
  const addresses = [...known.top(Infinity), ...unknown.top(Infinity)];
  const isAny = all.count > 0;
  const listed = spans.list();
  return {
    lines: {
      counted: all.count,
      otherMethods: tally.otherMethods,
      own: tally.own,
      unreadable: tally.unreadable,
    },
    from: isAny ? new Date(firstMs).toISOString() : undefined,
    until: isAny ? new Date(lastMs).toISOString() : undefined,
    all: toSums(all),
    statuses: [...statuses]
      .map(([status, requests]) => ({ status, requests }))
      .sort((a, b) => a.status - b.status),
    agents: AGENT_KINDS.map((kind) => ({ kind, requests: agents[kind].count, bytes: agents[kind].bytes })),
    groups: TRAFFIC_GROUPS.flatMap((group) => {
      const count = groups[group];
      return count.count > 0 ? [{ group, ...toSums(count) }] : [];
    }),
    addresses: addresses
      .filter(([, { missing, count }]) => (missing?.count ?? 0) < count)
      .sort(([, a], [, b]) => b.count - a.count)
      .slice(0, MOST_ADDRESSES)
      .map(toAddress),
    slowest: addresses
      .filter(([, { timed }]) => timed >= LEAST_TIMED)
      .sort(([, a], [, b]) => b.seconds / b.timed - a.seconds / a.timed)
      .slice(0, MOST_SLOW)
      .map(toAddress),
    referrers: hosts.top(MOST_HOSTS).map(([host, { count }]) => ({ host, requests: count })),
    ...toSpans(listed, spans.spanMs),
    missing: judgeMissing(tally),
    deliveries: findDips(listed, spans.spanMs, site.times),
    neverHit: findNeverHit(tally),
  };
}

function toSums({ count, bytes, cache }: Count): Sums {
  const hits = cache.hit + cache.refreshed;
  const told = hits + cache.miss;
  return { requests: count, bytes, cache: { ...cache }, hitRate: told === 0 ? undefined : hits / told };
}

const toAddress = ([address, count]: readonly [string, AddressCount]): AddressSums => ({
  ...{ address, group: count.group, ...toSums(count) },
  seconds: count.timed === 0 ? undefined : { mean: count.seconds / count.timed, most: count.mostSeconds },
});

/** As many as a chart can show: several together where there are more. */
function toSpans(
  spans: readonly { readonly atMs: number; readonly value: SpanCount }[],
  spanMs: number,
): Pick<Traffic, "spans" | "spanSeconds"> {
  const [first, last] = [spans[0], spans.at(-1)];
  if (!first || !last) return { spans: [], spanSeconds: spanMs / 1000 };
  let wide = spanMs;
  while ((last.atMs - first.atMs) / wide >= MOST_SPANS) wide *= 2;
  const joined = new Map<number, SpanCount>();
  for (const { atMs, value } of spans) {
    const at = Math.floor(atMs / wide) * wide;
    const into = joined.get(at) ?? { requests: 0, bytes: 0, hits: 0, misses: 0, missing: 0 };
    for (const name of ["requests", "bytes", "hits", "misses", "missing"] as const) into[name] += value[name];
    joined.set(at, into);
  }
  const list = [...joined].sort(([a], [b]) => a - b);
  return {
    spanSeconds: wide / 1000,
    spans: list.map(([at, value]): Span => ({ at: new Date(at).toISOString(), ...value })),
  };
}

/** Files of the site that were asked for again and again and were never a hit, by what forbids it. */
function findNeverHit({ site, known }: Tally): NeverHit[] {
  const groups = new Map<string, NeverHit>();
  for (const [address, { standing, group, count, bytes, cache, withQuery }] of known.top(Infinity)) {
    if (standing?.is !== "current" || cache.hit + cache.refreshed > 0 || cache.miss < LEAST_NEVER) continue;
    const header = findForbidding(site.current.get(standing.key)?.headers ?? {});
    if (header === undefined && cache.miss < LEAST_UNEXPLAINED) continue;
    const name = JSON.stringify([group, header]);
    const before = groups.get(name);
    groups.set(name, {
      ...{ group, header, example: before?.example ?? address, addresses: (before?.addresses ?? 0) + 1 },
      ...{ requests: (before?.requests ?? 0) + count, bytes: (before?.bytes ?? 0) + bytes },
      withQuery: (before?.withQuery ?? 0) + withQuery,
    });
  }
  return [...groups.values()].sort((a, b) => b.requests - a.requests);
}

/** The header by which no shared cache may answer without asking (RFC 9111 §5.2.2, §4.1); undefined: none does. */
function findForbidding(headers: ObjectHeaders): string | undefined {
  if (headers.vary?.trim() === "*") return "vary: *";
  const cacheControl = headers["cache-control"];
  return parseEdgeFreshness(cacheControl) === 0 ? `cache-control: ${cacheControl}` : undefined;
}
