import type { Candidate } from "./candidates.ts";
import { NEVER } from "./dense-table.ts";
import { MOST_LOOKS, searchDensely, type Bar, type CoverLimits, type DenseResult } from "./dense-search.ts";

export interface CheapestPath {
  readonly steps: readonly Candidate[];
  /** By how much a better path could beat this one at most. */
  readonly gap: number;
}

/**
 * The cheapest row of candidates that covers all addresses, within the limits: a shortest path with two bounded resources.
 * The number of wildcards is a dimension of the table. The number of patterns rarely binds; where it does, a price on
 * patterns (Lagrange multiplier) gives a bound from below and a path from above. Few candidates can be part of a path
 * between the two, and among these a dense table finds the best.
 *
 * An example. `/news/1`, `/news/2` and `/about` must go; the edge takes two patterns. Three exact addresses are one too many.
 * `/news/*` takes both news pages at once, and with them `/news/3`, which was right: it costs its bytes once more. With a
 * price of zero on patterns the path takes three of them. With a price above what `/news/3` costs it takes two, and since no
 * path with two patterns is cheaper than its bound, it is the best one and nothing else is tried.
 * @param candidates by the first address that they cover
 * @param mostLooks of the dense table's cells; what needs more ends with a gap
 */
export function pickCheapest(
  candidates: readonly (readonly Candidate[])[],
  limits: CoverLimits,
  mostLooks = MOST_LOOKS,
): CheapestPath {
  const free = solve(candidates, limits, 0);
  if (free.patterns <= limits.patterns) return { steps: free.steps(), gap: 0 };
  const found = findPrice(candidates, limits, free);
  // No price leads below the limit: there is no such path.
  if (!found) return { steps: free.steps(), gap: 0 };
  const { upper, bound, price, tight } = found;
  if (bound >= upper.cost) return { steps: upper.steps(), gap: 0 };
  const tools = { limits, price, pricedRest: toRest(tight), freeRest: toRest(free), layers: tight.layers };
  let known: DenseResult = { cost: upper.cost, steps: upper.steps() };
  let left = candidates;
  // Coarse looks bring the bar down; then few candidates are left for the exact one.
  for (const cells of COARSE_CELLS) {
    // Pairs of patterns can take more of them than there are addresses: then there is nothing to be coarse about.
    const coarseness = Math.ceil((candidates.length - limits.patterns) / cells);
    if (coarseness < 1) continue;
    const found = searchDensely(left, limits, { coarseness, mostLooks, bar: { ...tools, most: known.cost } });
    if (found && found.cost < known.cost) known = found;
    left = selectPromising(left, { ...tools, most: known.cost });
  }
  const exact = searchDensely(left, limits, {
    coarseness: 1,
    mostLooks,
    bar: { ...tools, most: known.cost },
  });
  return exact
    ? { steps: exact.steps, gap: 0 }
    : { steps: known.steps, gap: Math.max(0, Math.ceil(known.cost - bound)) };
}

/** How finely the coarse looks count the patterns that they spare. */
const COARSE_CELLS = [32, 128, 512];

/** What the rest of the way costs at least, price included, by the number of wildcards left. */
const toRest =
  ({ priced, layers }: Solution) =>
  (from: number, left: number): number =>
    priced[from * layers + left] as number;

interface Solution {
  /** Cost without the price. */
  readonly cost: number;
  readonly patterns: number;
  /** Cost with the price, from each address on, by the number of wildcards left. */
  readonly priced: Float64Array;
  readonly layers: number;
  steps(): Candidate[];
}

/** The cheapest path when each pattern costs `price` more, as a table from the last address to the first. */
function solve(
  candidates: readonly (readonly Candidate[])[],
  { wildcards, worth }: CoverLimits,
  price: number,
): Solution {
  const count = candidates.length;
  // A path can't have more wildcards than addresses: then they are not counted at all.
  const isCounted = wildcards < count;
  const layers = isCounted ? wildcards + 1 : 1;
  const used = ({ wildcards: own }: Candidate): number => (isCounted ? own : 0);
  const priced = new Float64Array((count + 1) * layers).fill(NEVER);
  const patterns = new Int32Array((count + 1) * layers);
  const choice = new Int32Array((count + 1) * layers).fill(-1);
  priced.fill(0, count * layers);
  for (let from = count - 1; from >= 0; from--) {
    const own = candidates[from] as readonly Candidate[];
    for (let index = 0; index < own.length; index++) {
      const candidate = own[index] as Candidate;
      const cost = candidate.collateral + (worth + price) * candidate.patterns;
      const taken = used(candidate);
      for (let left = taken; left < layers; left++) {
        const [at, next] = [from * layers + left, candidate.to * layers + left - taken];
        const total = cost + (priced[next] as number);
        const sum = candidate.patterns + (patterns[next] as number);
        const known = priced[at] as number;
        if (total > known || (total === known && sum >= (patterns[at] as number))) continue;
        priced[at] = total;
        patterns[at] = sum;
        choice[at] = index;
      }
    }
  }
  const start = layers - 1;
  const sum = patterns[start] as number;
  return {
    cost: (priced[start] as number) - price * sum,
    patterns: sum,
    priced,
    layers,
    steps: () => {
      const steps: Candidate[] = [];
      for (let from = 0, left = start; from < count;) {
        const candidate = candidates[from]?.[choice[from * layers + left] as number] as Candidate;
        steps.push(candidate);
        [from, left] = [candidate.to, left - used(candidate)];
      }
      return steps;
    },
  };
}

interface Priced {
  readonly price: number;
  /** No path within the limits costs less. */
  readonly bound: number;
  readonly upper: Solution;
  readonly tight: Solution;
}

/**
 * The price with the best bound (the Lagrangian dual's maximum), and the cheapest path within the limits met on the way.
 * The bound is the lower of two lines until a price is found that no other line cuts off: each look is where they meet.
 */
function findPrice(
  candidates: readonly (readonly Candidate[])[],
  limits: CoverLimits,
  free: Solution,
): Priced | undefined {
  let [low, price] = [free, Math.max(1, limits.worth)];
  let high = solve(candidates, limits, price);
  while (high.patterns > limits.patterns) {
    if (price > 2 ** 50) return undefined;
    price *= 2;
    [low, high] = [high, solve(candidates, limits, price)];
  }
  for (;;) {
    price = (high.cost - low.cost) / (low.patterns - high.patterns);
    const tight = solve(candidates, limits, price);
    if (tight.patterns <= high.patterns || tight.patterns >= low.patterns) {
      const bound = (tight.priced[tight.layers - 1] as number) - price * limits.patterns;
      return { price, bound, upper: high, tight };
    }
    if (tight.patterns <= limits.patterns) high = tight;
    else low = tight;
  }
}

interface PromiseFacts extends Bar {
  readonly limits: CoverLimits;
  readonly layers: number;
}

/** Candidates through which some path can end below the bar; exact addresses always stay. */
function selectPromising(
  candidates: readonly (readonly Candidate[])[],
  { limits, price, pricedRest, layers, most }: PromiseFacts,
): Candidate[][] {
  const until = new Float64Array((candidates.length + 1) * layers).fill(NEVER);
  until[layers - 1] = 0;
  return candidates.map((own, from) =>
    own.filter((candidate) => {
      const taken = layers === 1 ? 0 : candidate.wildcards;
      const cost = candidate.collateral + (limits.worth + price) * candidate.patterns;
      let least = NEVER;
      for (let left = taken; left < layers; left++) {
        const total = (until[from * layers + left] as number) + cost;
        const at = candidate.to * layers + left - taken;
        if (total < (until[at] as number)) until[at] = total;
        const whole = total + pricedRest(candidate.to, left - taken);
        if (whole < least) least = whole;
      }
      return candidate.kind === "exact" || least - price * limits.patterns <= most + 1;
    }),
  );
}
