import fc from "fast-check";
import { EXACT_EDGE } from "../../../test/support/edges.ts";
import { PureDestination } from "../../../test/support/pure-destination.ts";
import type { DestinationState, Waybill } from "../model/release.ts";
import { createMarks, createTable, empty, firstOf, isMarked, lastOf, mark, NEVER, sizeOf, takeLesser } from "./cover/dense-table.ts"; // prettier-ignore
import { searchDensely, MOST_LOOKS } from "./cover/dense-search.ts";
import { selectByHand } from "./hand-invalidation.ts";
import { mayHold, wouldBeSpared } from "./held-answers.ts";
import { listOwed, selectUnrecorded, toOwed } from "./owed.ts";
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
  const asked = { edge: "near", addresses: ["/x"], patterns: ["/x"], collateral: nothing, gap: 0, everything: nothing }; // prettier-ignore
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

test("what is read back: the first page always, at most twenty, each with what is right and what answered before", () => {
  const place = new PureDestination();
  const pages = (text: string) =>
    Object.fromEntries(Array.from({ length: 40 }, (_, page) => [`p${page}.html`, text]));
  const before = delivered({ "index.html": "one", ...pages("one") }, place).parcels;
  const { parcels } = delivered({ "index.html": "two", ...pages("two") }, place);
  const addresses = ["/", ...Object.keys(pages("")).map((key) => `/${key}`), "/gone.html", "/tree/*"];
  const facts = { parcels, before, addressRules: RULES, clientRoutes: false };
  const found = selectReadBacks({ addresses, patterns: addresses }, facts);
  expect([found.length <= 20, found[0]?.address]).toEqual([true, "/"]);
  const [first] = found;
  if (!first) throw new Error("nothing to read back");
  const [old = ""] = first.wrong;
  const judge = (status: number, hash: string) => judgeReadBack(first, { status, hash });
  expect([judge(200, first.right), judge(200, old), judge(200, "x"), judge(404, "x")]).toEqual(["right", "stale", "other", "other"]); // prettier-ignore
  expect(judgeReadBack({ ...first, right: "missing" }, { status: 404, hash: "x" })).toBe("right");
});

test("marks are a set of cells, and tables keep their windows", () => {
  const cells = fc.array(fc.tuple(fc.nat(2), fc.integer({ min: 5, max: 20 })), { maxLength: 30 });
  fc.assert(
    fc.property(cells, (marked) => {
      const marks = createMarks(3, 5, 20);
      for (const [layer, cell] of marked) mark(marks, layer, cell);
      const set = new Set(marked.map(String));
      for (let layer = 0; layer < 3; layer++)
        for (let cell = 0; cell < 25; cell++)
          expect(isMarked(marks, layer, cell)).toBe(set.has(String([layer, cell])));
    }),
    { seed: 6 },
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
