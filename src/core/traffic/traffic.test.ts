import fc from "fast-check";
import { holds } from "../../../test/support/seeds.ts";
import type { RecordedParcel } from "../model/parcel.ts";
import type { Waybill } from "../model/release.ts";
import type { Role } from "../model/role.ts";
import { showRetainMend, toRedirectLine } from "../../words/traffic.ts";
import { BoundedCounts, TimeSpans } from "./bounded.ts";
import { findDips } from "./dips.ts";
import type { LogLine } from "./line.ts";
import { judgeMissing } from "./missing.ts";
import { createSiteIndex, findReleaseTimes, type SiteRecords } from "./site-index.ts";
import { summarise } from "./summary.ts";
import { Tally, type SpanCount } from "./tally.ts";

const DAY = 86_400_000;
const DAY_ZERO = Date.parse("2026-03-01T00:00:00Z");
const onDay = (day: number): number => DAY_ZERO + day * DAY;
const rules: SiteRecords["rules"] = { forms: ["file", "folder"], basePath: "/", indexName: "index.html" };

const parcel = (key: string, role: Role = "page", more: Partial<RecordedParcel> = {}): RecordedParcel => ({
  ...{ key, hash: `hash of ${key}`, storedHash: `hash of ${key}`, size: 100, role, headers: {} },
  ...more,
});
const waybill = (release: number, parcels: RecordedParcel[], more: Partial<Waybill> = {}): Waybill => ({
  ...{ site: "s", run: "r", previous: release - 1, by: "x", at: new Date(onDay(release)).toISOString() },
  ...{ release, parcels, standing: [] },
  ...more,
});
const line = (path: string, day: number, more: Partial<LogLine> = {}): LogLine => ({
  ...{ path, atMs: onDay(day), method: "GET", hasQuery: false, status: 200, bytes: 10, seconds: undefined },
  ...{ cache: "hit", referrer: "", agent: "Mozilla/5.0" },
  ...more,
});

/** A site whose release 7 is the current one; 5 and 6 are retained as well, those before were let go of. */
function tallyOf(lines: readonly LogLine[]): Tally {
  const entry = parcel("index.html", "entry");
  const names: SiteRecords["names"] = new Map([
    ["assets/old-1a2b3c4d.js", { hash: "a", stoodMs: onDay(6), lastIn: 3, supersededMs: onDay(4) }],
    ["assets/older-9f8e7d6c.js", { hash: "b", stoodMs: onDay(6) }],
    ["assets/app-5e6f7a8b.js", { hash: "c", stoodMs: onDay(7), lastIn: 7 }],
  ]);
  const waybills = [
    waybill(7, [entry, parcel("assets/app-5e6f7a8b.js", "fingerprinted"), parcel("news/index.html"), parcel("journal/tides/index.html"), parcel("harbours/gull/index.html", "page", { storedHash: "moved" }), parcel("sw.js", "worker", { headers: { "cache-control": "public, max-age=0, must-revalidate" } }), parcel("fares.json", "document", { headers: { "cache-control": "no-store" } })], { gone: { 2: ["news/winter/index.html"] } }),
    waybill(6, [entry, parcel("news/index.html"), parcel("news/gull/index.html", "page", { storedHash: "moved" })]),
    waybill(5, [entry, parcel("news/index.html"), parcel("news/tides/index.html"), parcel("assets/chunk-0a1b2c3d.js", "fingerprinted")]),
  ];
  const retained = waybills.map(({ release, at }) => ({ release, at }));
  const tally = new Tally(createSiteIndex({ waybills, names, rules, times: findReleaseTimes(retained, names) }), "www.pelicansound.example");
  for (const one of lines) tally.add(one);
  return tally;
} // prettier-ignore

const missed = (path: string, day: number, more: Partial<LogLine> = {}): LogLine =>
  line(path, day, { status: 404, ...more });

test("what is not found is told apart by its cause, each with the mend that would have helped", () => {
  const found = judgeMissing(
    tallyOf([
      missed("/assets/old-1a2b3c4d.js", 8, { referrer: "https://www.pelicansound.example/news/?me" }),
      missed("/assets/old-1a2b3c4d.js", 9, { agent: "reefbot" }),
      missed("/assets/older-9f8e7d6c.js", 8),
      missed("/assets/chunk-0a1b2c3d.js", 7.5),
      missed("/news/gull/", 8, { referrer: "https://harbour-guide.example/birds?visitor=9" }),
      missed("/news/tides/index.html", 8),
      missed("/news/winter/", 8),
      missed("/news", 6.5),
      missed("/journal/tides/", 6.5),
      line("/old-page", 7),
      missed("/old-page", 8),
      missed("/nothing.cgi", 8),
      missed("/nothing.cgi", 8),
    ]),
  );
  expect(found.requests).toBe(12);
  expect(found.letGo.map(({ release, requests, people, needed, isRetained }) => ({ release, requests, people, needed, isRetained }))).toEqual([
    { release: 5, requests: 1, people: 1, needed: { releases: 3, seconds: 1.5 * 86_400 }, isRetained: true },
    // Superseded on day 4; the last person asked on day 8, when release 7 was the current one.
    { release: 3, requests: 2, people: 1, needed: { releases: 5, seconds: 4 * 86_400 }, isRetained: false },
    { release: undefined, requests: 1, people: 1, needed: undefined, isRetained: false },
  ]);
  expect(found.letGo[1]?.addresses[0]?.referrers).toEqual([{ address: "/news/", requests: 1, isOwn: true }]);
  expect(Object.fromEntries(found.removed.map(({ address, release, removedBy, leadsTo }) => [address, [release, removedBy?.release, leadsTo?.address, leadsTo?.because]]))).toEqual({
    "/news/gull/": [6, 7, "/harbours/gull/", "content"],
    "/news/tides/index.html": [5, 6, "/journal/tides/", "name"],
    "/news/winter/": [2, 4, "/news/", "above"],
    "/old-page": [undefined, undefined, "/", "above"],
  });
  expect(found.removed.find(({ address }) => address === "/news/gull/")?.referrers).toEqual([{ address: "harbour-guide.example/birds", requests: 1, isOwn: false }]);
  expect(found.late.map(({ address, since }) => [address, since?.release])).toEqual([["/journal/tides/", 7]]);
  expect([found.never.map(({ address, requests }) => [address, requests]), found.neverRequests]).toEqual([[["/nothing.cgi", 2], ["/news", 1]], 3]);
}); // prettier-ignore

test("files that no cache may answer are named with the header that forbids it, others only after many tries", () => {
  const times = (count: number, one: LogLine): LogLine[] => Array.from({ length: count }, () => one);
  const { neverHit } = summarise(
    tallyOf([
      ...times(5, line("/fares.json", 8, { cache: "miss", hasQuery: true })),
      ...times(9, line("/sw.js", 8, { cache: "miss" })),
      ...times(19, line("/news/", 8, { cache: "miss" })),
      ...times(30, line("/journal/tides/", 8, { cache: "miss" })),
      ...times(30, line("/", 8, { cache: "miss" })),
      line("/", 8, { cache: "refreshed" }),
    ]),
  );
  expect(
    neverHit.map(({ group, header, requests, withQuery }) => [group, header, requests, withQuery]),
  ).toEqual([
    ["page", undefined, 30, 0],
    ["worker", "cache-control: public, max-age=0, must-revalidate", 9, 0],
    ["document", "cache-control: no-store", 5, 5],
  ]);
});

test("what is added up is all there, under its role, and the tool's own requests are no visits", () => {
  const traffic = summarise(
    tallyOf([
      line("/", 7, { bytes: 5, seconds: 0.1 }),
      line("/index.html", 8, { bytes: 7, cache: "miss", referrer: "https://harbour-guide.example/" }),
      line("/harbours/old", 8, { status: 301, cache: "made" }),
      line("/assets/app-5e6f7a8b.js", 8, { status: 304, cache: "unknown", agent: "curl/8" }),
      missed("/x", 8),
      line("/", 8, { agent: "restless-courier" }),
      line("/", 8, { method: "PURGE" }),
    ]),
  );
  expect(traffic.lines).toEqual({ counted: 5, otherMethods: 1, own: 1, unreadable: 0 });
  expect(traffic.all).toMatchObject({ requests: 5, bytes: 42, hitRate: 2 / 3 });
  expect(traffic.groups.map(({ group, requests }) => [group, requests])).toEqual([["entry", 2], ["fingerprinted", 1], ["redirect", 1], ["missing", 1]]);
  expect(traffic.statuses).toEqual([{ status: 200, requests: 2 }, { status: 301, requests: 1 }, { status: 304, requests: 1 }, { status: 404, requests: 1 }]);
  expect(traffic.referrers).toEqual([{ host: "harbour-guide.example", requests: 1 }]);
  expect([traffic.from, traffic.until]).toEqual(["2026-03-08T00:00:00.000Z", "2026-03-09T00:00:00.000Z"]);
}); // prettier-ignore

const span = (hits: number, misses: number): SpanCount => ({
  requests: hits + misses,
  bytes: 0,
  hits,
  misses,
  missing: 0,
});

test("a delivery's dip is followed until the rate is back, and what went to the origin meanwhile is counted", () => {
  const MINUTE = 60_000;
  const rates = [90, 90, 90, 90, 50, 60, 89, 90, 90, 40, 40];
  const spans = rates.map((hits, at) => ({ atMs: at * MINUTE, value: span(hits, 100 - hits) }));
  const times = [{ release: 8, atMs: 4 * MINUTE }, { release: 9, atMs: 9 * MINUTE }, { release: 10, atMs: 99 * MINUTE }];
  const dips = findDips(spans, MINUTE, times);
  expect(dips).toEqual([
    { release: 8, at: "1970-01-01T00:04:00.000Z", before: 0.9, lowest: 0.5, recoveredSeconds: 120, extraMisses: 70 },
    { release: 9, at: "1970-01-01T00:09:00.000Z", before: expect.closeTo(0.758, 3) as number, lowest: 0.4, extraMisses: 72 },
  ]);
  expect(findDips(spans.map(({ atMs }) => ({ atMs, value: span(1, 0) })), MINUTE, [{ release: 8, atMs: MINUTE }])).toEqual([{ release: 8, at: "1970-01-01T00:01:00.000Z", extraMisses: 0 }]);
}); // prettier-ignore

test("counts stay within their room: what is asked for often is there, and as many times as it was", async () => {
  await holds(
    fc.property(fc.array(fc.nat(40), { maxLength: 300 }), fc.integer({ min: 1, max: 30 }), (names, most) => {
      const counts = new BoundedCounts<{ count: number }>(most);
      const truth = new Map<string, number>();
      for (const name of names.map(String)) {
        counts.of(name, () => ({ count: 0 })).count += 1;
        truth.set(name, (truth.get(name) ?? 0) + 1);
        expect(counts.size).toBeLessThanOrEqual(2 * most);
      }
      for (const [name, { count }] of counts.top()) expect(count).toBeLessThanOrEqual(truth.get(name) ?? 0);
      if (truth.size <= 2 * most) expect(new Map(counts.top(Infinity).map(([name, { count }]) => [name, count]))).toEqual(truth);
    }),
    { seeds: [1], numRuns: 200 },
  );
}); // prettier-ignore

test("spans of time lose nothing when they become longer, whatever the order of lines", async () => {
  await holds(
    fc.property(fc.array(fc.nat(100_000), { minLength: 1, maxLength: 200 }), fc.integer({ min: 1, max: 12 }), (times, most) => {
      const spans = new TimeSpans<{ count: number }>(most, 10, () => ({ count: 0 }), (into, other) => (into.count += other.count));
      for (const atMs of times) spans.of(atMs).count += 1;
      const list = spans.list();
      expect(list.length).toBeLessThanOrEqual(most);
      expect(list.reduce((sum, { value }) => sum + value.count, 0)).toBe(times.length);
      for (const { atMs, value } of list) expect(times.filter((time) => time >= atMs && time < atMs + spans.spanMs)).toHaveLength(value.count);
    }),
    { seeds: [1], numRuns: 200 },
  );
}); // prettier-ignore

test("mends are written as the settings take them: durations rounded up, addresses below the site's own path", () => {
  const group = { addresses: [], requests: 1, people: 1, isRetained: false } as const;
  const now = { releases: 5, seconds: 14 * 86_400 };
  const words = (releases: number, seconds: number): string => showRetainMend({ ...group, needed: { releases, seconds } }, now);
  expect(words(9, 20.2 * 86_400)).toBe("retain: { releases: 9 } or retain: { for: 21d } would have kept them (now releases: 5, for: 14d)");
  // The settings were others then, or somebody has pruned.
  expect(words(9, 86_400)).toContain("the settings of today would have kept them");
  expect(showRetainMend({ ...group, people: 0, needed: { releases: 9, seconds: 9e6 } }, now)).toContain("only crawlers");
  const removed = { address: "/shop/old page/", requests: 1, people: 1, first: "", last: "", referrers: [], leadsTo: { address: "/shop/", because: "above" } } as const;
  expect(toRedirectLine(removed, "/shop/")).toBe('{ address: "/old page/", leadsTo: /, kind: permanent }');
}); // prettier-ignore
