import { EXACT_EDGE } from "../../test/support/edges.ts";
import { growthOf } from "../../test/support/growth.ts";
import { PureDestination } from "../../test/support/pure-destination.ts";
import { compareParcels } from "./compare/compare.ts";
import { coverAddresses } from "./edges/cover/cover.ts";
import { indexLive } from "./edges/cover/live-addresses.ts";
import type { EdgeAbilities } from "./model/edge.ts";

const PURGE: EdgeAbilities = { ...EXACT_EDGE, wildcard: "prefix", reachesQuery: true, query: "keyed", mostWildcards: Infinity, exactUpTo: Infinity }; // prettier-ignore
const DISTRIBUTION: EdgeAbilities = { ...EXACT_EDGE, wildcard: "prefix", reachesQuery: true, query: "keyed", mostPatterns: 3000, mostWildcards: 15, worth: 64_000 }; // prettier-ignore

const names = (count: number): number[] => Array.from({ length: count }, (_, index) => index);
const hashed = (index: number): string => (index * 2_654_435_761).toString(16).padStart(8, "0").slice(-8);

/** A site of so many pages, each with a script of its own, in folders or as files beside each other. */
function makeSite(count: number, word: string, isFlat: boolean): Record<string, string> {
  const files: Record<string, string> = { "index.html": `<p>${word}` };
  for (const index of names(count / 2)) {
    const script = `assets/part-${index}-${hashed(index)}.js`;
    const page = isFlat ? `page-${index}.html` : `part-${index % 40}/page-${index}/index.html`;
    files[script] = `export const part = ${index};`;
    files[page] = `<script type=module src="/${script}"></script><a href="/page-${index + 1}">${word}</a>`;
  }
  return files;
}

/** What one decision does with a site of so many files; it is made ready before the clock runs. */
type Prepare = (count: number) => () => unknown;

const analysing =
  (isFlat: boolean, ...forms: ("file" | "folder" | "bare")[]): Prepare =>
  (count) => {
    const addressRules = { forms, basePath: "/", indexName: "index.html" };
    const destination = new PureDestination({ addressRules, endpoint: { serves: "objects" } });
    const files = makeSite(count, "one", isFlat);
    return () => destination.analyse(files);
  };

const delivering =
  (edge: EdgeAbilities, before: string, after: string): Prepare =>
  (count) => {
    const destination = new PureDestination({}, edge);
    destination.deliver(destination.analyse(makeSite(count, before, false)).wanted);
    const { wanted } = destination.analyse(makeSite(count, after, false));
    return () => destination.decide(wanted);
  };

const covering =
  (edge: EdgeAbilities): Prepare =>
  (count) => {
    const sizes = new Map(names(count).map((index) => [`/part-${index % 40}/page-${index}/`, 500 + index]));
    const mustGo = [...sizes.keys()].filter((_, at) => at % 3 === 0).map((address) => ({ address, hasQueries: true }));
    const live = indexLive(sizes);
    return () => coverAddresses(mustGo, live, edge);
  }; // prettier-ignore

const comparing: Prepare = (count) => {
  const destination = new PureDestination();
  destination.deliver(destination.analyse(makeSite(count, "one", false)).wanted);
  const { wanted } = destination.analyse(makeSite(count, "two", false));
  const { state } = destination;
  return () => compareParcels(wanted.parcels, state);
};

/** And how many files are a fair beginning. */
const DECISIONS: readonly (readonly [string, Prepare, number])[] = [
  ["a build's analysis", analysing(false, "file", "folder"), 600],
  ["aliases of folders", analysing(false, "folder", "bare"), 600],
  ["aliases of files", analysing(true, "bare"), 600],
  ["a comparison", comparing, 400],
  ["a delivery of nothing new", delivering(EXACT_EDGE, "one", "one"), 400],
  ["a delivery of which every page is new", delivering(PURGE, "one", "two"), 400],
  ["a cover of single addresses", covering(EXACT_EDGE), 8000],
  ["a cover at a cache with patterns", covering(PURGE), 8000],
  ["a cover at a distribution", covering(DISTRIBUTION), 8000],
];

/** 1 is linear, 2 is the square of it; what is left between is noise. */
const BOUNDS = { leastMs: 10, below: 1.4 };

test.each(DECISIONS)("%s: eight times as many files take about eight times as long", (_, prepare, count) => {
  expect(growthOf(prepare, count, BOUNDS)).toBeLessThan(BOUNDS.below);
});

test("growth by the square is noticed, however often it is measured", () => {
  const pairs: Prepare = (count) => () => {
    let sum = 0;
    for (let one = 0; one < count; one++)
      for (let other = 0; other < count; other++) sum += (one ^ other) % 7;
    return sum;
  };
  expect(growthOf(pairs, 700, { ...BOUNDS, leastMs: 0.1 })).toBeGreaterThan(1.7);
});
