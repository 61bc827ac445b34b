import fc from "fast-check";
import type { MemoryTraits } from "../adapters/stores/memory/memory-store.ts";
import { EDGES, type EdgeName } from "../../test/support/world-cache.ts";
import { World, type Disturbance, type Remedy } from "../../test/support/world.ts";
import { filesOf } from "../../test/support/world-site.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { holds, isSoak } from "../../test/support/seeds.ts";

const build = fc.integer({ min: 1, max: 4 });
const work = fc.constantFrom(undefined, undefined, undefined, "redeliver", "prune", "invalidate");
const disturbance: fc.Arbitrary<Disturbance> = fc.record({
  build,
  work,
  diesAt: fc.option(fc.integer({ min: 1, max: 90 }), { nil: undefined, freq: 3 }),
  tookEffect: fc.boolean(),
  edgeFails: fc.boolean(),
  loses: fc.integer({ min: 0, max: 3 }),
  onlyOuter: fc.boolean(),
  rivalAt: fc.option(fc.integer({ min: 1, max: 80 }), { nil: undefined, freq: 2 }),
  rival: build,
  secondRival: fc.option(build, { nil: undefined, freq: 2 }),
  rivalWork: work,
  lateAt: fc.option(fc.integer({ min: 1, max: 90 }), { nil: undefined, freq: 2 }),
  conflictsAt: fc.option(fc.integer({ min: 1, max: 60 }), { nil: undefined, freq: 3 }),
  conflicts: fc.integer({ min: 1, max: 4 }),
});
const scenario: fc.Arbitrary<Required<Played>> = fc.record({
  seed: fc.integer({ min: 1, max: 2 ** 31 }),
  runs: fc.array(disturbance, { minLength: 1, maxLength: 4 }),
  last: build,
  edge: fc.constantFrom<EdgeName>("exact", "keyed", "honest", "distribution"),
  hasTwo: fc.boolean(),
  traits: fc.constantFrom<MemoryTraits>({}, { opaqueEtags: true }),
});

function toChance(seed: number): () => number {
  let state = seed;
  return () => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state / 2 ** 32;
  };
}

interface Seen {
  readonly faults: readonly string[];
  readonly visits: number;
  readonly ends: readonly string[];
}

interface Played {
  readonly seed: number;
  readonly runs: readonly Disturbance[];
  readonly last: number;
  readonly edge?: EdgeName;
  /** Two edges of that kind, one before the other. */
  readonly hasTwo?: boolean;
  readonly traits?: MemoryTraits;
}

/** Disturbed runs, then undisturbed ones to the end; everything that was or stays wrong. */
async function play(
  { seed, runs, last, edge = "exact", hasTwo = false, traits = {} }: Played,
  without?: Remedy,
): Promise<Seen> {
  // A write that comes late finds what its page names as long as that is retained, and no longer (docs/order-of-effects.md).
  const retainSeconds = runs.some(({ lateAt }) => lateAt !== undefined) ? 10_000 : 0;
  const world = new World(toChance(seed), { edge, hasTwo, without, traits, retainSeconds });
  const ends: string[] = [];
  ends.push(await world.run({ build: 1 }));
  for (const run of runs) ends.push(await world.run(run));
  const end = await world.run({ build: last });
  const faults = [...world.faults];
  if (end !== "done") faults.push(`the last run ended with ${end}`);
  faults.push(...(await world.findStale()));
  // What stands besides the build is retained by some release, and everything of the build is as it was built.
  for (const [key, text] of Object.entries(filesOf(last)))
    if ((await readText(await world.store.get(key))) !== text) faults.push(`${key} is not as it was built`);
  faults.push(...(await findOrphans(world)));
  return { faults, visits: world.visits, ends: [...ends, end] };
}

/** Two more releases, and nothing of the time before may be left but what they retain. */
async function findOrphans(world: World): Promise<string[]> {
  for (const number of [5, 4, 5, 4]) {
    world.sleepOver(world.retainSeconds * 1000);
    await world.run({ build: number });
  }
  const wanted = new Set([...Object.keys(filesOf(4)), ...Object.keys(filesOf(5))]);
  const orphans: string[] = [];
  for await (const { objects } of world.store.list())
    for (const { key } of objects)
      if (!key.startsWith(".courier/") && !wanted.has(key)) orphans.push(`${key} is left for ever`);
  return orphans;
}

/** A run that died between stocking a chunk and asking for it, while somebody had been told that it is missing. */
const DIED_BEFORE_UNMASK: Required<Played> = {
  seed: 1_026_807_120,
  runs: [
    { build: 2, tookEffect: false, edgeFails: true, rival: 1 },
    { build: 4, diesAt: 25, tookEffect: false, edgeFails: false, rivalAt: 1, rival: 3 },
  ],
  last: 4,
  edge: "exact",
  hasTwo: false,
  traits: {},
};

/** A worker's address that is owed from before, while the worker itself is announced only when all is confirmed. */
const OWED_WORKER: Required<Played> = {
  seed: 1,
  runs: [
    { build: 2, tookEffect: false, edgeFails: false, rival: 1 },
    { build: 1, tookEffect: false, edgeFails: true, rival: 1 },
    { build: 1, work: "redeliver", tookEffect: false, edgeFails: true, rival: 1 },
  ],
  last: 1,
  edge: "honest",
  hasTwo: false,
  traits: {},
};

/** The same cases in each run by day: what they meet is counted. */
const CASES = 50;

test("whatever dies, sleeps, fails or comes between: no visitor meets a broken page, and the last run makes every address right", async () => {
  let visits = 0;
  const ends = new Map<string, number>();
  await holds(
    fc.asyncProperty(scenario, async (played) => {
      const seen = await play(played);
      visits += seen.visits;
      for (const end of seen.ends) ends.set(end, (ends.get(end) ?? 0) + 1);
      expect(seen.faults).toEqual([]);
    }),
    { numRuns: CASES, seeds: [20_261_127], examples: [[DIED_BEFORE_UNMASK], [OWED_WORKER]] },
  );
  // The disturbances really happened.
  expect(visits).toBeGreaterThan(CASES * 20);
  for (const end of ["done", "owes", "dead", "hold-lost"])
    expect([end, ends.get(end) ?? 0]).toEqual([end, expect.any(Number)]);
  expect(ends.get("dead")).toBeGreaterThan(CASES / 10);
  expect(ends.get("owes")).toBeGreaterThan(CASES / 20);
  expect(ends.get("hold-lost")).toBeGreaterThan(5);
}, 1_200_000);

/** What may follow on a delivery of build 2 whose invalidation came to nothing: 3 has other headers on an equal page. */
const FOLLOWERS = {
  "the same build": 2,
  "an unrelated build": 4,
  "headers relabelled": 3,
  "the old build": 1,
};

describe.each(Object.keys(EDGES) as EdgeName[])(
  "an invalidation that was lost, at an edge that is %s",
  (edge) => {
    test.each(Object.entries(FOLLOWERS))("is made up for by %s", async (_, last) => {
      // Each step in the soak, else every sixteenth one. Each build begins at another step.
      const [first, stride] = isSoak ? [1, 1] : [4 * last - 3, 16];
      const ends = new Set<string>();
      const look = async (disturbed: Omit<Disturbance, "build">): Promise<void> => {
        const run = { build: 2, tookEffect: true, ...disturbed };
        const seen = await play({ seed: 11, runs: [run], last, edge });
        expect([disturbed, seen.faults]).toEqual([disturbed, []]);
        ends.add(seen.ends[1] as string);
      };
      // The edge refuses, and the run is killed at each of its steps, those after the record included.
      await look({ edgeFails: true });
      for (let diesAt = first; diesAt < 80; diesAt += stride) await look({ diesAt });
      expect([...ends].sort()).toEqual(["dead", "done", "owes"]);
    });
  },
);

/** Runs that sleep just when their assets are stocked and their pages are not yet switched. */
const sleepers = fc.record({
  seed: fc.integer({ min: 1, max: 2 ** 31 }),
  runs: fc.array(
    fc.record({ build: fc.constant(4), rivalAt: fc.integer({ min: 10, max: 40 }), rival: fc.constant(2) }),
    { minLength: 1, maxLength: 2 },
  ),
  last: build,
});

/** Runs that die when their assets are stocked, and the same build again. */
const diers = fc.record({
  seed: fc.integer({ min: 1, max: 2 ** 31 }),
  runs: fc.tuple(
    fc.record({ build: fc.constant(4), diesAt: fc.integer({ min: 14, max: 26 }), tookEffect: fc.boolean() }),
  ),
  last: fc.constant(4),
});

/** Runs that die late, where two edges are asked, and another build whose delivery removes their page. */
const removers = fc.record({
  seed: fc.integer({ min: 1, max: 2 ** 31 }),
  runs: fc.tuple(
    fc.record({
      build: fc.constant(2),
      diesAt: fc.integer({ min: 40, max: 60 }),
      tookEffect: fc.boolean(),
      edgeFails: fc.constant(true),
    }),
  ),
  last: fc.constant(3),
  hasTwo: fc.constant(true),
});

const CASES_FOR: Partial<Record<Remedy, fc.Arbitrary<Played>>> = {
  "removal before invalidation": removers,
  "the hold fences": sleepers,
  "left assets are unmasked": diers,
};

test.each<[Remedy, RegExp, number?]>([
  ["owed is remembered", /instead of/],
  ["removal before invalidation", /200 .* instead of 404/],
  ["the hold fences", /which the store lacks/, 8],
  ["workers come last", /was seen while the page is still/],
  ["new names are unmasked", /the edge has as missing/],
  ["left assets are unmasked", /the edge has as missing/],
  ["open records", /is left for ever/, 8],
  ["fetches are waited for", /instead of/],
  ["answers are read back", /instead of/],
])("the test notices when a remedy is taken out: %s", async (remedy, fault, seed = 1) => {
  const found: string[] = [];
  for (const played of fc.sample<Played>(CASES_FOR[remedy] ?? scenario, { numRuns: 1000, seed })) {
    const seen = await play({ ...played, edge: "exact" }, remedy).catch((error: unknown) => ({
      faults: [String(error)],
    }));
    found.push(...seen.faults);
    if (found.some((text) => fault.test(text))) break;
  }
  expect(found).toEqual(expect.arrayContaining([expect.stringMatching(fault)]));
});
