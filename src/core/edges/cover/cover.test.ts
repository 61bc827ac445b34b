import fc from "fast-check";
import { listCandidates, type MustGo } from "./candidates.ts";
import { pickCheapest } from "./cheapest-path.ts";
import { coverAddresses, nameAddresses, type Cover } from "./cover.ts";
import { indexLive } from "./live-addresses.ts";
import type { EdgeAbilities } from "../../model/edge.ts";
import { byText } from "../../model/names.ts";
import { holds } from "../../../../test/support/seeds.ts";

type Sizes = ReadonlyMap<string, number>;

const EDGE: EdgeAbilities = {
  wildcard: "prefix",
  reachesQuery: true,
  query: "ignored",
  mostPatterns: 3000,
  mostWildcards: 15,
  worth: 64_000,
  exactUpTo: 0,
};

const isLegal = (prefix: string, { wildcard }: EdgeAbilities): boolean =>
  prefix !== "" && (wildcard === "segment" ? prefix.endsWith("/") : !/%.?$/.test(prefix));

const reaches = (pattern: string, address: string): boolean =>
  pattern.endsWith("*") ? address.startsWith(pattern.slice(0, -1)) : pattern === address;

const costOf = (
  patterns: readonly string[],
  mustGo: readonly string[],
  sizes: Sizes,
  worth: number,
): number =>
  [...sizes]
    .filter(([address]) => !mustGo.includes(address) && patterns.some((pattern) => reaches(pattern, address)))
    .reduce((sum, [, size]) => sum + size, patterns.length * worth);

const keyedAt = (edge: EdgeAbilities): boolean => edge.query !== "ignored" && edge.reachesQuery;

/** Oracle 1: tries every set, with nothing assumed about order, nesting or common prefixes. Some ten addresses at most. */
function bruteForce(mustGo: readonly string[], sizes: Sizes, edge: EdgeAbilities): [number, number] {
  const worth = edge.worth;
  let best: [number, number] = [Infinity, Infinity];
  const cover = (patterns: readonly string[]): void => {
    if (patterns.length > edge.mostPatterns) return;
    if (patterns.filter((pattern) => pattern.endsWith("*")).length > edge.mostWildcards) return;
    const open = mustGo.find((address) => {
      const probes = keyedAt(edge) ? [address, `${address}?q`] : [address];
      return !probes.every((probe) => patterns.some((pattern) => reaches(pattern, probe)));
    });
    if (open === undefined) {
      const cost = costOf(patterns, mustGo, sizes, worth);
      if (cost < best[0] || (cost === best[0] && patterns.length < best[1])) best = [cost, patterns.length];
      return;
    }
    if (!keyedAt(edge)) cover([...patterns, open]);
    else if (edge.wildcard === "prefix") cover([...patterns, open, `${open}?*`]);
    for (let length = 1; length <= open.length; length++)
      if (isLegal(open.slice(0, length), edge)) cover([...patterns, `${open.slice(0, length)}*`]);
  };
  cover([]);
  return best;
}

/** Oracle 2: a dense table over (first address not covered, wildcards left, patterns left), every legal prefix tried. */
function denseTable(mustGo: readonly string[], sizes: Sizes, edge: EdgeAbilities): [number, number] {
  const sorted = [...mustGo].sort(byText);
  const [most, wild] = [edge.mostPatterns, edge.mostWildcards];
  const table = new Map<string, [number, number]>();
  const options = sorted.map((address) =>
    Array.from({ length: address.length }, (_, index) => address.slice(0, index + 1))
      .filter((prefix) => isLegal(prefix, edge))
      .map((prefix) => ({
        end: sorted.filter((other) => other < address || other.startsWith(prefix)).length,
        cost: costOf([`${prefix}*`], mustGo, sizes, edge.worth),
      })),
  );
  const solve = (from: number, wildcards: number, patterns: number): [number, number] => {
    if (from === sorted.length) return [0, 0];
    const key = `${from} ${wildcards} ${patterns}`;
    const known = table.get(key);
    if (known) return known;
    let best: [number, number] = [Infinity, Infinity];
    const take = (used: [number, number, number], [cost, count]: [number, number]): void => {
      const total: [number, number] = [used[0] + cost, used[1] + count];
      if (total[0] < best[0] || (total[0] === best[0] && total[1] < best[1])) best = total;
    };
    const isKeyed = keyedAt(edge);
    if (!isKeyed && patterns >= 1) take([edge.worth, 1, 0], solve(from + 1, wildcards, patterns - 1));
    if (isKeyed && edge.wildcard === "prefix" && patterns >= 2 && wildcards >= 1)
      take([2 * edge.worth, 2, 1], solve(from + 1, wildcards - 1, patterns - 2));
    if (wildcards >= 1 && patterns >= 1)
      for (const { end, cost } of options[from] ?? [])
        take([cost, 1, 1], solve(end, wildcards - 1, patterns - 1));
    table.set(key, best);
    return best;
  };
  return solve(0, wild, most);
}

const toMustGo = (addresses: readonly string[]): MustGo[] =>
  addresses.map((address) => ({ address, hasQueries: true }));

function check(mustGo: readonly string[], sizes: Sizes, edge: EdgeAbilities): [number, number] {
  const cover = coverAddresses(toMustGo(mustGo), indexLive(sizes), edge);
  assertCovers(cover, mustGo, sizes, edge);
  expect(cover.gap).toBe(0);
  return [cover.collateral.bytes + edge.worth * cover.patterns.length, cover.patterns.length];
}

function assertCovers(
  { patterns, collateral }: Cover,
  mustGo: readonly string[],
  sizes: Sizes,
  edge: EdgeAbilities,
): void {
  for (const address of mustGo) {
    expect(patterns.some((pattern) => reaches(pattern, address))).toBe(true);
    if (keyedAt(edge)) expect(patterns.some((pattern) => reaches(pattern, `${address}?utm=1`))).toBe(true);
  }
  expect(patterns.length).toBeLessThanOrEqual(edge.mostPatterns);
  const wildcards = patterns.filter((pattern) => pattern.endsWith("*"));
  expect(wildcards.length).toBeLessThanOrEqual(edge.mostWildcards);
  for (const pattern of wildcards)
    expect(pattern).toMatch(edge.wildcard === "segment" ? /\/\*$/ : /^[^%]*(%[0-9A-F]{2}[^%]*)*\*$/);
  expect(collateral.bytes).toBe(costOf(patterns, mustGo, sizes, 0));
}

/** Few letters, so that prefixes are often shared; encoded ones too. */
const address = fc
  .array(fc.constantFrom("a", "b", "%C3", "%C4", "/", "/"), { maxLength: 6 })
  .map((letters) => `/${letters.join("")}`);

const site = (most: number) =>
  fc.record({
    mustGo: fc.uniqueArray(address, { minLength: 1, maxLength: most }),
    others: fc.array(fc.tuple(address, fc.integer({ min: 0, max: 9 })), { maxLength: 25 }),
    gone: fc.boolean(),
  });

const abilities = fc.record({
  wildcard: fc.constantFrom("prefix" as const, "segment" as const),
  query: fc.constantFrom("ignored" as const, "keyed" as const),
  mostPatterns: fc.integer({ min: 1, max: 8 }),
  mostWildcards: fc.integer({ min: 1, max: 4 }),
  worth: fc.constantFrom(0, 1, 3, 20),
});

type Site = ReturnType<typeof site> extends fc.Arbitrary<infer T> ? T : never;
type Abilities = typeof abilities extends fc.Arbitrary<infer T> ? T : never;

const toSizes = (mustGo: readonly string[], others: readonly [string, number][], gone: boolean): Sizes =>
  new Map([...others, ...(gone ? [] : mustGo.map((name): [string, number] => [name, 5]))]);

/** The limit binds although each address could have a pattern: here each takes a pair. */
const MORE_PATTERNS_THAN_ADDRESSES = (
  [
    [["//", "/"], { "//a": 1 }, 3],
    [["//", "/"], { "//a": 1 }, 2],
    [["/b", "/"], { "/ba": 1, "/a": 1 }, 3],
  ] as const
).map(([mustGo, others, mostPatterns]): [Site, Abilities] => [
  { mustGo: [...mustGo], others: Object.entries(others), gone: false },
  { wildcard: "prefix", query: "keyed", mostPatterns, mostWildcards: 2, worth: 0 },
]);

test("no set of patterns is cheaper than the one found: tried all, for a few addresses", async () => {
  let binding = 0;
  await holds(
    fc.property(site(6), abilities, ({ mustGo, others, gone }, given) => {
      const edge = { ...EDGE, ...given };
      const sizes = toSizes(mustGo, others, gone);
      const found = check(mustGo, sizes, edge);
      if (found[1] === edge.mostPatterns) binding += 1;
      expect(found).toEqual(bruteForce(mustGo, sizes, edge));
    }),
    { seeds: [21], numRuns: 300, examples: MORE_PATTERNS_THAN_ADDRESSES },
  );
  expect(binding).toBeGreaterThan(20);
});

test("the same as a dense table finds, for up to forty addresses and limits that bind", async () => {
  await holds(
    fc.property(site(40), abilities, ({ mustGo, others, gone }, given) => {
      const edge = { ...EDGE, ...given, mostPatterns: given.mostPatterns * 3 };
      const sizes = toSizes(mustGo, others, gone);
      expect(check(mustGo, sizes, edge)).toEqual(denseTable(mustGo, sizes, edge));
    }),
    { seeds: [22], numRuns: 150 },
  );
});

test("40 changed addresses spread over 3 folders among 2,000, with 15 wildcards and 30 patterns, as the dense table has it", () => {
  const sizes = new Map<string, number>();
  const mustGo: string[] = [];
  for (let index = 0; index < 2000; index++) {
    const folder = ["crossings", "news", "timetables", "fleet", "harbours"][index % 5] as string;
    const name = `/${folder}/${(index * 7919) % 2003}/index.html`;
    sizes.set(name, 2000 + ((index * 31) % 5000));
    if (index % 5 < 3 && index % 50 < 3 && mustGo.length < 40) mustGo.push(name);
  }
  expect(mustGo).toHaveLength(40);
  for (const query of ["ignored", "keyed"] as const) {
    const edge = { ...EDGE, query, mostPatterns: 30 };
    const found = check(mustGo, sizes, edge);
    expect(found).toEqual(denseTable(mustGo, sizes, edge));
    expect(found[1]).toBeLessThanOrEqual(30);
    expect(found[0]).toBeLessThan(costOf(["/*"], mustGo, sizes, edge.worth));
  }
});

test.each([
  ["one page", ["/news/"], {}, ["/news/"]],
  ["one page with its queries", ["/news/"], { query: "keyed" }, ["/news/", "/news/?*"]],
  ["unknown counts as keyed", ["/"], { query: undefined }, ["/", "/?*"]],
  ["an edge that takes no wildcards", ["/a", "/b"], { wildcard: "none", query: "keyed", mostPatterns: 1 }, ["/a", "/b"]],
  ["everything below a folder, and a page in it", ["/routes/*", "/routes/1", "/x"], {}, ["/routes/*", "/x"]],
  ["more trees than wildcards", ["/a/1/*", "/a/2/*", "/a/3/4"], { mostWildcards: 1 }, ["/a/*"]],
  ["nothing", [], {}, []],
] as const)("%s", (_, addresses, more, patterns) => {
  const sizes = new Map(["/", "/news/", "/news/1", "/newsletter/", "/a", "/b", "/x", "/z"].map((name) => [name, 900_000]));
  expect(coverAddresses(toMustGo(addresses), indexLive(sizes), { ...EDGE, ...more }).patterns).toEqual(patterns);
}); // prettier-ignore

test("more trees than the edge takes wildcards go as one, whatever stands beside them; one fewer, and the neighbour stays", () => {
  const live = indexLive(new Map([["/a/1/x", 10], ["/a/2/x", 10], ["/a/film.mp4", 9e9], ["/b", 10]])); // prettier-ignore
  const trees = toMustGo(["/a/1/*", "/a/2/*"]);
  const within = (mostWildcards: number): Cover => coverAddresses(trees, live, { ...EDGE, mostWildcards });
  expect(within(1)).toEqual({ patterns: ["/a/*"], collateral: { addresses: 1, bytes: 9e9 }, gap: 0 });
  expect(within(2)).toEqual({ patterns: ["/a/1/*", "/a/2/*"], collateral: { addresses: 0, bytes: 0 }, gap: 0 });
  // Exactly as many trees as wildcards: what else must go is named, unless there is no room for that.
  const more = [...trees, ...toMustGo(["/b", "/c"])];
  expect(coverAddresses(more, live, { ...EDGE, mostWildcards: 2 }).patterns).toEqual(["/a/1/*", "/a/2/*", "/b", "/c"]);
  expect(coverAddresses(more, live, { ...EDGE, mostWildcards: 2, mostPatterns: 4 }).patterns).toHaveLength(4);
  expect(coverAddresses(more, live, { ...EDGE, mostWildcards: 2, mostPatterns: 3 }).patterns).toEqual(["/*"]);
}); // prettier-ignore

const KEYED = { ...EDGE, query: "keyed" } as const;
const QUERIED = [{ address: "/a", hasQueries: true }, { address: "/b", hasQueries: false }]; // prettier-ignore
const TREES = [{ address: "/a/*", hasQueries: false }, { address: "/a/b", hasQueries: true }]; // prettier-ignore
test.each<[string, readonly MustGo[], Partial<EdgeAbilities>, string[] | undefined]>([
  ["queries that are held apart go by a wildcard of their own", QUERIED, {}, ["/a", "/a?*", "/b"]],
  ["queries that are not held apart need none", QUERIED, { query: "ignored" }, ["/a", "/b"]],
  ["queries that no wildcard reaches are left", QUERIED, { reachesQuery: false }, ["/a", "/b"]],
  ["as many patterns as the edge takes", QUERIED, { mostPatterns: 3 }, ["/a", "/a?*", "/b"]],
  ["one more", QUERIED, { mostPatterns: 2 }, undefined],
  ["as many wildcards as the edge takes", QUERIED, { mostWildcards: 1 }, ["/a", "/a?*", "/b"]],
  ["one more wildcard", [...QUERIED, { address: "/c", hasQueries: true }], { mostWildcards: 1 }, undefined],
  ["a wildcard that ends after a slash", QUERIED, { wildcard: "segment" }, undefined],
  ["what lies in a tree goes with it", TREES, { wildcard: "segment" }, ["/a/*"]],
])("each address by its name: %s", (_, mustGo, more, patterns) => {
  const live = indexLive(new Map([["/a", 1], ["/b", 1], ["/a/b", 1]]));
  expect(nameAddresses(mustGo, live, { ...KEYED, ...more })?.patterns).toEqual(patterns);
}); // prettier-ignore

test("a site that changes as a whole goes as a whole, and what nobody reaches with queries needs no wildcard", () => {
  const names = Array.from({ length: 200 }, (_, index) => `/shop/${index}.html`);
  const live = indexLive(new Map(names.map((name) => [name, 1000])));
  const whole = coverAddresses(toMustGo(names), live, EDGE);
  expect(whole).toEqual({ patterns: ["/shop/*"], collateral: { addresses: 0, bytes: 0 }, gap: 0 });
  const chunks = names.slice(0, 20).map((name) => ({ address: name, hasQueries: false }));
  const keyed = { ...EDGE, query: "keyed" as const, mostWildcards: 1, worth: 1 };
  expect(coverAddresses(chunks, live, keyed).patterns).toHaveLength(20);
});

test("six thousand addresses to go are covered at no more than the best; where the search is given up, the gap is stated", () => {
  const sizes = new Map<string, number>();
  const mustGo: string[] = [];
  let seed = 7;
  const random = (most: number): number => (seed = (seed * 48271) % 2147483647) % most;
  for (let index = 0; index < 15_000; index++) {
    const name = `/${random(40)}/${random(40)}/${random(100_000).toString(36)}`;
    sizes.set(name, 1 + random(90_000));
    if (index % 2 === 0 && mustGo.length < 6_000) mustGo.push(name);
  }
  const unique = toMustGo([...new Set(mustGo)].sort(byText));
  const live = indexLive(sizes);
  const best = coverAddresses(unique, live, { ...EDGE, mostPatterns: 1000, worth: 0 });
  expect(best.patterns.length).toBeLessThanOrEqual(1000);
  expect(best.gap).toBe(0);

  const candidates = listCandidates(unique, live, { wildcard: "prefix", coversQueries: false });
  const hurried = pickCheapest(candidates, { patterns: 1000, wildcards: 15, worth: 0 }, 50_000);
  const cost = hurried.steps.reduce((sum, { collateral }) => sum + collateral, 0);
  expect(hurried.steps.length).toBeLessThanOrEqual(1000);
  expect(cost).toBeGreaterThan(best.collateral.bytes);
  expect(cost - hurried.gap).toBeLessThanOrEqual(best.collateral.bytes);
  expect(hurried.gap).toBeLessThan(cost / 5);
});
