import fc from "fast-check";
import { EXACT_EDGE } from "../../../test/support/edges.ts";
import { PureDestination } from "../../../test/support/pure-destination.ts";
import type { DestinationState, Waybill } from "../model/release.ts";
import { holds } from "../../../test/support/seeds.ts";

import { createMarks, createTable, empty, firstOf, isMarked, lastOf, mark, NEVER, sizeOf, takeLesser } from "./cover/dense-table.ts"; // prettier-ignore
import { searchDensely, MOST_LOOKS } from "./cover/dense-search.ts";
import { compareParcels } from "../compare/compare.ts";
import { selectByHand } from "./hand-invalidation.ts";
import { mayHold, wouldBeSpared } from "./held-answers.ts";
import { chooseWay, isBelieved } from "./forms-trial.ts";
import { parseWays, toWaysText } from "./known-ways.ts";
import { listOwed, selectOrphans, selectUnrecorded, strikeConfirmed, toOwed } from "./owed.ts";
import { CLEARING_WAYS, type KnownWay, type ReadBack } from "../model/edge.ts";
import { mergeOutcomes, toUnasked, type EdgeOutcome } from "../model/edge-outcome.ts";
import { listSpellings } from "../addresses/spellings.ts";
import { selectInvalidations, selectOwed } from "./stale-addresses.ts";
import { judgeReadBack, selectReadBacks } from "./read-back.ts";

const RULES = { forms: ["file", "folder"] as const, basePath: "/", indexName: "index.html" };
const delivered = (files: Record<string, string>, place = new PureDestination()): Waybill => {
  place.deliver(place.analyse(files).wanted);
  return place.state.waybill as Waybill;
};

test("an edge may hold what it is not known to ask for each time", () => {
  const object = (cacheControl: string | undefined) => ({ kind: "object", cacheControl }) as const;
  const strict = { ...EXACT_EDGE, minimumFreshness: 0, negative: 0 };
  const held = (edge: typeof EXACT_EDGE, answers: readonly Parameters<typeof mayHold>[1][]): boolean[] =>
    answers.map((answer) => mayHold(edge, answer));
  const answers = [object("max-age=0"), object("max-age=9"), object(undefined), { kind: "missing" }, { kind: "unknown" }] as const; // prettier-ignore
  expect(held(strict, answers)).toEqual([false, true, true, false, true]);
  expect(held(EXACT_EDGE, answers)).toEqual([true, true, true, true, true]);
  expect([wouldBeSpared(EXACT_EDGE, answers[0]), wouldBeSpared(strict, answers[0])]).toEqual([true, false]);
});

test("what is owed: what the pointer says, and what runs that died before their record had written down", () => {
  const open = { site: "s", release: 2, at: "", by: "", parcels: [], removes: [], originals: [] };
  const state = {
    pointer: { site: "s", release: 1, run: "a", retained: [], announced: {}, owed: [{ edge: "near", addresses: ["/b", "/a"] }] },
    open: [{ ...open, run: "a", owed: [{ edge: "near", addresses: ["/done"] }] }, { ...open, run: "dead", owed: [{ edge: "far", addresses: ["/c"] }] }],
    ...{ listing: [], storeTimeMs: 0 },
  } satisfies DestinationState; // prettier-ignore
  expect(selectUnrecorded(state).map(({ run }) => run)).toEqual(["dead"]);
  expect(listOwed(state)).toEqual([{ edge: "near", addresses: ["/a", "/b"] }, { edge: "far", addresses: ["/c"] }]); // prettier-ignore
  const nothing = { addresses: 0, bytes: 0 };
  const asked = { edge: "near", identity: "near", addresses: ["/x"], patterns: ["/x"], collateral: nothing, gap: 0, everything: nothing }; // prettier-ignore
  // Of an edge that is asked anew all comes with that; one that is no longer in the settings is not forgotten.
  expect(toOwed([asked], state)).toEqual([{ edge: "near", addresses: ["/x"] }, { edge: "far", addresses: ["/c"] }]); // prettier-ignore
});

test("by hand: addresses, globs, what a release changed, everything; each once", () => {
  const place = new PureDestination();
  const before = delivered({ "index.html": "one", "news/index.html": "n" }, place);
  const release = delivered({ "index.html": "two", "news/index.html": "n", "cape wren.html": "c" }, place);
  const pick = (patterns: string[], more = {}) => selectByHand({ patterns, everything: false, ...more }, release, RULES); // prettier-ignore
  expect(pick(["/news/*", "/cape wren.html", "/cape%20wren.html"])).toEqual(["/news/*", "/cape%20wren.html"]);
  expect(pick(["news/**"])).toEqual(expect.arrayContaining(["/news/", "/news/index.html"]));
  expect(pick([], { changed: { release, before } }).sort()).toEqual([
    "/",
    "/cape%20wren.html",
    "/index.html",
  ]);
  expect(pick([], { everything: true })).toEqual(["/*"]);
  for (const wrong of ["/a*b", "/a?b", "/%E0%A4%A"])
    expect(() => pick([wrong])).toThrow(expect.objectContaining({ code: "not-an-address" }) as Error);
  expect(() => pick(["none/**"])).toThrow(expect.objectContaining({ code: "no-match" }) as Error);
});

test("what is read back: all of it, the first page first, pages before the rest; below a tree what answers there", () => {
  const place = new PureDestination();
  const pages = Object.fromEntries(Array.from({ length: 40 }, (_, page) => [`p${page}.html`, `page ${page}`]));
  const { parcels } = delivered({ "a/app.css": "c", "index.html": "two", ...pages, "tree/leaf.css": "leaf" }, place);
  const addresses = ["/a/app.css", ...Object.keys(pages).map((key) => `/${key}`), "/", "/gone.html", "/tree/*"];
  const found = selectReadBacks(addresses, { parcels, addressRules: RULES });
  expect(found.map(({ address }) => address).sort()).toEqual([...addresses.slice(0, -1), "/tree/leaf.css"].sort());
  expect([found[0]?.address, found.at(-1)?.address]).toEqual(["/", expect.stringMatching(/css$/)]);
  const rightOf = (address: string) => found.find((check) => check.address === address)?.right.kind;
  expect([rightOf("/"), rightOf("/gone.html")]).toEqual(["content", "missing"]);
}); // prettier-ignore

test("an answer is right when it is the new content, and old when any record ever had it there", () => {
  const content: ReadBack = { address: "/a", right: { kind: "content", hash: "new" } };
  const missing: ReadBack = { address: "/a", right: { kind: "missing" } };
  const away: ReadBack = { address: "/a", right: { kind: "redirect", to: "/b", hash: "empty" } };
  const earlier = new Set(["old"]);
  const judge = (check: ReadBack, status: number, hash?: string, headers = {}, more = {}) =>
    judgeReadBack(check, { status, hash, headers }, { unknown: undefined, earlier, ...more });
  expect([judge(content, 200, "new"), judge(content, 200, "old"), judge(content, 200, "x"), judge(content, 404, "y")]).toEqual(["right", "old", "foreign", "old"]);
  expect([judge(content, 410, "y"), judge(content, 411, "y")]).toEqual(["old", "no-answer"]);
  expect([judge(content, 502, "x"), judge(content, 403, "x"), judge(content, 429), judge(content, 301, "x")]).toEqual(["no-answer", "no-answer", "no-answer", "foreign"]);
  expect(judgeReadBack(content, undefined, { unknown: undefined })).toBe("no-answer");
  // A store that may not be listed refuses what is not there; an application answers everything.
  expect([judge(missing, 404, "y"), judge(missing, 200, "old"), judge(missing, 403, "y"), judge(missing, 200, "app")]).toEqual(["right", "old", "no-answer", "foreign"]);
  const unknown = { status: 403, hash: "y" };
  expect([judge(missing, 403, "z", {}, { unknown }), judge(missing, 200, "app", {}, { unknown: { status: 200, hash: "app" } })]).toEqual(["right", "right"]);
  expect([judge(away, 301, "", { location: "https://www.example/b" }), judge(away, 302, "", { location: "/c" }), judge(away, 200, "empty")]).toEqual(["right", "old", "right"]);
  // What can't be decoded is told by the ETag of what was read in another form.
  const rightEtags = new Set(['"1"']);
  expect([judge(content, 200, undefined, { etag: 'W/"1"' }, { rightEtags }), judge(content, 200, undefined, { etag: '"2"' }, { rightEtags })]).toEqual(["right", "unreadable"]);
}); // prettier-ignore

test("the way of clearing: the cheapest that clears all, else the cheapest that clears all that is listed", () => {
  const at = "2026-01-01T00:00:00.000Z";
  const choose = (...left: string[][]) =>
    chooseWay(left.map((forms, index) => ({ way: CLEARING_WAYS[index] ?? "once", held: 3, left: forms })), "x", at); // prettier-ignore
  expect(choose(["gzip"], [])).toEqual({ way: "each", clears: "all", at });
  expect(choose(["gzip", "x"], ["x"], ["x"])).toEqual({ way: "each", clears: "some", at });
  expect(choose(["gzip"], ["br"])).toEqual({ way: "each", clears: "some", at });
  expect(choose(["gzip", "br", "x"])).toEqual({ way: "once", clears: "none", at });
  const nowMs = Date.parse(at);
  const known = { way: "once", clears: "all", at } as const;
  const days = (count: number): number => nowMs + count * 86_400_000;
  expect([isBelieved(known, false, days(1)), isBelieved(known, false, days(31)), isBelieved(undefined, true, nowMs)]).toEqual([true, false, false]); // prettier-ignore
  const [partly, deaf] = [
    { ...known, clears: "some" },
    { ...known, clears: "none" },
  ] as const;
  expect([
    isBelieved(partly, false, nowMs),
    isBelieved(partly, true, nowMs),
    isBelieved(deaf, true, nowMs),
  ]).toEqual([false, true, false]);
  const ways = new Map([["purge a", new Map<string, KnownWay>([["http://a", known], ["http://b", partly], ["http://c", deaf]])]]); // prettier-ignore
  expect([parseWays(toWaysText(ways)), parseWays("{"), parseWays("")]).toEqual([ways, new Map(), new Map()]);
  // Of another form nothing is known; ours has this name for good.
  expect(parseWays(toWaysText(ways).replace("edge-ways/1", "edge-ways/2"))).toEqual(new Map());
  expect(JSON.parse(toWaysText(ways))).toMatchObject({ format: "restless-courier/edge-ways/1" });
});

test("a debt is known by what the edge is; one of an edge that is gone is nobody's, and stays", () => {
  const near = { name: "purge", identity: "purge http://a" };
  const owed = [{ edge: "purge http://a", addresses: ["/a", "/b"] }, { edge: "purge", addresses: ["/c"] }, { edge: "far", addresses: ["/d"] }]; // prettier-ignore
  expect(selectOrphans(owed, [near])).toEqual([{ edge: "far", addresses: ["/d"] }]);
  expect(selectOrphans(owed, [{ name: "purge-1", identity: "purge http://a" }]).map(({ edge }) => edge)).toEqual(["purge", "far"]); // prettier-ignore
  const asked = { edge: "purge", identity: "purge http://a", left: new Set(["/b"]) };
  expect(strikeConfirmed(owed, [asked])).toEqual([{ edge: "purge http://a", addresses: ["/b"] }, { edge: "far", addresses: ["/d"] }]); // prettier-ignore
});

test("marks are a set of cells, and tables keep their windows", async () => {
  const cells = fc.array(fc.tuple(fc.nat(2), fc.integer({ min: 5, max: 20 })), { maxLength: 30 });
  await holds(
    fc.property(cells, (marked) => {
      const marks = createMarks(3, 5, 20);
      for (const [layer, cell] of marked) mark(marks, layer, cell);
      const set = new Set(marked.map(String));
      for (let layer = 0; layer < 3; layer++)
        for (let cell = 0; cell < 25; cell++)
          expect(isMarked(marks, layer, cell)).toBe(set.has(String([layer, cell])));
    }),
    { seeds: [6] },
  );
  const shape = { layers: 2, width: 10, cells: 20 };
  const [open, arrived] = [createTable(shape), createTable(shape)];
  expect([sizeOf(open, shape), firstOf(open) > lastOf(open)]).toEqual([0, true]);
  for (const [table, cell, cost] of [[open, 3, 5], [arrived, 3, 4], [arrived, 6, 9]] as const) {
    table.values[cell] = cost;
    [table.first[0], table.last[0]] = [3, cell];
  } // prettier-ignore
  const taken = takeLesser(open, arrived, shape);
  expect([open.values[3], open.values[6], isMarked(taken, 0, 3), sizeOf(open, shape)]).toEqual([
    4,
    9,
    true,
    4,
  ]);
  // What was reached in another layer is another place of the table.
  [open.values[17], open.first[1], open.last[1]] = [2, 7, 7];
  empty(open, shape);
  expect([...open.values].every((value) => value === NEVER)).toBe(true);
});

test("a dense search finds the cheapest path that spares enough patterns, and gives up rather than looking for ever", () => {
  const step = (from: number, to: number, kind: "exact" | "wildcard", collateral: number) => ({
    ...{ from, to, kind, collateral, length: 1, patterns: 1, wildcards: kind === "wildcard" ? 1 : 0 },
  });
  const candidates = [
    [step(0, 1, "exact", 0), step(0, 3, "wildcard", 50), step(0, 2, "wildcard", 5)],
    [step(1, 2, "exact", 0)],
    [step(2, 3, "exact", 0), step(2, 4, "wildcard", 7)],
    [step(3, 4, "exact", 0)],
  ];
  const limits = { patterns: 2, wildcards: 2, worth: 1 };
  const none = (): number => 0;
  const bar = { most: Infinity, price: 0, pricedRest: none, freeRest: none };
  const found = searchDensely(candidates, limits, { coarseness: 1, mostLooks: MOST_LOOKS, bar });
  // Two wildcards (5 + 7) and two patterns' worth; one wildcard with an exact address would cost 50.
  expect([found?.cost, found?.steps.map(({ from, to }) => [from, to])]).toEqual([14, [[0, 2], [2, 4]]]); // prettier-ignore
  expect(searchDensely(candidates, limits, { coarseness: 1, mostLooks: 0, bar })).toBeUndefined();
});

test("an address is asked for in every spelling that browsers send", () => {
  expect(listSpellings("/docs/%5Bid%5D.html")).toEqual(["/docs/%5Bid%5D.html", "/docs/[id].html"]);
  expect(listSpellings("/caf%C3%A9/")).toEqual(["/caf%C3%A9/"]);
});

test("of several rounds the later one counts: what it confirms is no longer left, what it finds wrong is", () => {
  const round = (settled: string[], left: string[], read: string[]): EdgeOutcome => ({
    ...{ edge: "near", identity: "near", settled, left: new Set(left), read: new Set(read), forms: 2 },
  });
  const late = toUnasked({ edge: "far", identity: "far", addresses: ["/sw.js"] });
  const [near, far] = mergeOutcomes([round(["/a"], ["/b"], ["/a"]), round(["/b"], ["/a", "/c"], ["/b"]), late]);
  expect([near?.settled, near?.left, near?.read]).toEqual([["/b"], new Set(["/a", "/c"]), new Set(["/a", "/b"])]);
  expect([far?.left, far?.read.size]).toEqual([new Set(["/sw.js"]), 0]);
}); // prettier-ignore

test("few addresses are named one by one, at caches any number; a wildcard takes no right copy along then", () => {
  const place = new PureDestination();
  const { parcels } = delivered(Object.fromEntries(Array.from({ length: 60 }, (_, page) => [`p${page}.html`, "x"])), place); // prettier-ignore
  const ask = (count: number, exactUpTo: number): readonly string[] => {
    const owed = [{ edge: "near", addresses: Array.from({ length: count }, (_, page) => `/p${page}.html`) }];
    const wide = { ...EXACT_EDGE, wildcard: "prefix", mostWildcards: 15, worth: 64_000, exactUpTo } as const;
    const [asked] = selectOwed(owed, [{ name: "near", identity: "near", ...wide }], { answering: parcels, addressRules: RULES }); // prettier-ignore
    return asked?.patterns ?? [];
  };
  expect([ask(20, 20).length, ask(21, 20), ask(60, Infinity).length]).toEqual([20, ["/p*"], 60]);
});

test("what is owed goes in the round in which it stands as it will: what pages load before them, workers as the last", () => {
  const place = new PureDestination();
  const files = { "index.html": "one", "app.css": "a", "tides.json": "t", "news.html": "n", "sw.js": "w", "asset-manifest.json": "m" };
  delivered(files, place);
  const { parcels } = place.analyse({ ...files, "index.html": "two", "sw.js": "v" }).wanted;
  const loaded = parcels.map((parcel) => (parcel.key === "tides.json" ? { ...parcel, isLoaded: true as const } : parcel));
  const { unmaskings, invalidations, lateInvalidations } = selectInvalidations({
    ...{ comparison: compareParcels(loaded, place.state), answering: loaded, addressRules: RULES },
    ...{ trees: [], onceDelivered: new Set(), carriesHeaders: true, edges: place.edges },
    owed: [{ edge: "near", addresses: Object.keys(files).map((key) => `/${key}`) }],
  });
  expect([unmaskings, invalidations, lateInvalidations].map((round) => round.flatMap(({ patterns }) => patterns))).toEqual([
    ["/app.css", "/asset-manifest.json", "/tides.json"], ["/", "/index.html", "/news.html"], ["/sw.js"],
  ]);
}); // prettier-ignore

test("whole trees go where rules changed, and everything where the entry page answers everywhere and is new", () => {
  const place = new PureDestination();
  delivered({ "index.html": "one", "news.html": "n" }, place);
  const entry = { kind: "object", cacheControl: "max-age=60" } as const;
  const ask = (files: Record<string, string>, more: object, edge: object = {}): (readonly string[])[] => {
    const { parcels } = place.analyse(files).wanted;
    const { invalidations } = selectInvalidations({
      ...{ comparison: compareParcels(parcels, place.state), answering: parcels, addressRules: RULES },
      ...{ owed: [], trees: [], onceDelivered: new Set(), carriesHeaders: true },
      edges: [
        { name: "near", identity: "near", ...EXACT_EDGE, wildcard: "prefix", mostWildcards: 15, ...edge },
      ],
      ...more,
    } as never);
    return invalidations.map(({ patterns }) => patterns);
  };
  const same = { "index.html": "one", "news.html": "n" };
  expect(ask(same, { trees: ["/routes/*"] })).toEqual([["/routes/*"]]);
  expect(ask(same, { trees: ["/routes/*"] }, { wildcard: "none" })).toEqual([]);
  expect(ask({ ...same, "index.html": "two" }, { unknownAnswered: entry })).toEqual([["/*"]]);
  expect(ask({ ...same, "news.html": "m" }, { unknownAnswered: entry })).toEqual([["/news.html"]]);
  // Of an entry page that nobody held under other addresses, only its own go.
  const spared = { unknownAnswered: { kind: "object", cacheControl: "max-age=0" } };
  expect(ask({ ...same, "index.html": "two" }, spared, { minimumFreshness: 0 })).toEqual([
    ["/", "/index.html"],
  ]);
});
