import type { Candidate } from "./candidates.ts";
import {
  createMarks,
  createTable,
  empty,
  firstOf,
  isMarked,
  lastOf,
  mark,
  NEVER,
  sizeOf,
  takeLesser,
  type Marks,
  type Table,
  type TableShape,
} from "./dense-table.ts";

export interface CoverLimits {
  readonly patterns: number;
  readonly wildcards: number;
  /** The price of one pattern, bytes. */
  readonly worth: number;
}

export interface DenseResult {
  readonly steps: readonly Candidate[];
  readonly cost: number;
}

/** What a path may cost at most, and what the rest of one costs at least: cells beyond that are never looked at. */
export interface Bar {
  /** Nothing dearer is of interest. */
  readonly most: number;
  /** What each pattern costs besides in `pricedRest`. */
  readonly price: number;
  /** What the rest of the way costs at least with that price, by the number of wildcards left. */
  readonly pricedRest: (from: number, left: number) => number;
  /** The same without a price. */
  readonly freeRest: (from: number, left: number) => number;
}

export interface Search {
  /** Patterns spared are counted in so many at a time, rounded down: 1 is exact, more is quick and safe. */
  readonly coarseness: number;
  readonly bar: Bar;
  /** How many cells it may look at. */
  readonly mostLooks: number;
}

/** How many cells a search may look at: some seconds' worth. */
export const MOST_LOOKS = 700_000_000;
/** How many bits it may note. */
const MOST_BITS = 1_000_000_000;

/**
 * The cheapest path that spares enough patterns, by a table over (wildcards left, patterns spared against naming every
 * address exactly). Going on by one exact address changes no cell, so only other candidates cost time; since these nest,
 * few tables are open at once. A cell through which no path can end below the bar is left out, so that of each table only
 * a narrow window is ever filled.
 * @returns undefined where there is no path below the bar, or where it would take too long
 */
export function searchDensely(
  candidates: readonly (readonly Candidate[])[],
  limits: CoverLimits,
  { coarseness, bar, mostLooks }: Search,
): DenseResult | undefined {
  const shape = toShape(candidates, limits, coarseness);
  const { layers, count } = shape;
  const arrivals = new Map<number, Arrival>();
  const trails: (Trail | undefined)[] = Array.from({ length: count + 1 });
  const spare: Table[] = [];
  const open = createTable(shape);
  open.values[(layers - 1) * shape.width + shape.start] = 0;
  open.first[layers - 1] = open.last[layers - 1] = shape.start;
  let [looks, bits] = [0, 0];
  for (let from = 0; from <= count; from++) {
    const arrival = arrivals.get(from);
    if (arrival) {
      arrivals.delete(from);
      const arrived = takeLesser(open, arrival.table, shape);
      trails[from] = { steps: arrival.steps, arrived };
      bits += arrived.rows.length * 8;
      empty(arrival.table, shape);
      spare.push(arrival.table);
    }
    const own = candidates[from] ?? [];
    const others = own.filter(isOther);
    if (others.length > 0) trim(open, toFloors(from, shape, bar), shape);
    for (const step of others) {
      let target = arrivals.get(step.to);
      if (!target) arrivals.set(step.to, (target = { table: spare.pop() ?? createTable(shape), steps: [] }));
      const taken = takeStep(open, target.table, step, { shape, floors: toFloors(step.to, shape, bar) });
      looks += sizeOf(open, shape);
      bits += taken.cells.rows.length * 8;
      if (looks > mostLooks || bits > MOST_BITS) return undefined;
      target.steps.push(taken);
    }
    if (from < count && others.length === own.length) empty(open, shape);
  }
  return findEnd(open, trails, candidates, shape);
}

const isOther = ({ kind }: Candidate): boolean => kind !== "exact";

interface Arrival {
  readonly table: Table;
  readonly steps: Taken[];
}

interface Taken {
  readonly step: Candidate;
  /** Which cells it has improved. */
  readonly cells: Marks;
  /** For each layer, the cell that its last cell came from: that one stands for everything beyond it, too. */
  readonly lastFrom: Int32Array;
}

/** How the cells at an address came about: by which of the steps that end there, or by one exact address more. */
interface Trail {
  readonly steps: readonly Taken[];
  readonly arrived: Marks;
}

interface Shape extends TableShape {
  readonly count: number;
  readonly start: number;
  /** The first cell that spares enough. */
  readonly enough: number;
  readonly worth: number;
  readonly coarseness: number;
}

function toShape(
  candidates: readonly (readonly Candidate[])[],
  { patterns, wildcards, worth }: CoverLimits,
  coarseness: number,
): Shape {
  const count = candidates.length;
  const isCounted = wildcards < count;
  // A pair of patterns for one address spares one less than nothing; there are at most as many as wildcards.
  const pairs = candidates.some((own) => own.some(({ kind }) => kind === "withQueries"))
    ? Math.min(wildcards, count)
    : 0;
  const enough = Math.max(0, pairs + Math.ceil((count - patterns) / coarseness));
  const width = enough + pairs + 1;
  const layers = isCounted ? wildcards + 1 : 1;
  return { count, layers, width, cells: layers * width, start: pairs, enough, worth, coarseness };
}

const sparedBy = ({ from, to, patterns }: Candidate, { coarseness }: Shape): number =>
  Math.floor((to - from - patterns) / coarseness);

const wildcardsOf = ({ wildcards }: Candidate, { layers }: Shape): number => (layers === 1 ? 0 : wildcards);

/** Of equally cheap ones that with fewer patterns: too little to matter otherwise, and exact up to 64 GB. */
const TIE = 2 ** -17;

const costOf = ({ collateral, patterns, from, to }: Candidate, { worth }: Shape): number =>
  collateral + (worth + TIE) * (patterns - (to - from));

/** What a cell at an address may hold at most, by layer: less for each cell that it lies before the one of enough. */
interface Floors {
  readonly atEnough: Float64Array;
  readonly perCell: number;
  /** For the last cell, which stands for everything beyond it, too. */
  readonly atLast: Float64Array;
}

/**
 * A path that has spared `c` cells' worth at `at` must spare the other `enough - c` on its way, so that the rest of it
 * takes at most `(count - at) - (enough - c) * coarseness` patterns, and costs at least what it costs with the price less
 * the price of so many.
 */
function toFloors(at: number, { count, layers, worth, coarseness }: Shape, bar: Bar): Floors {
  const left = bar.most + 1 - worth * at;
  const atEnough = new Float64Array(layers);
  const atLast = new Float64Array(layers);
  for (let layer = 0; layer < layers; layer++) {
    atEnough[layer] = left - bar.pricedRest(at, layer) + bar.price * (count - at);
    atLast[layer] = left - bar.freeRest(at, layer);
  }
  return { atEnough, atLast, perCell: bar.price * coarseness };
}

/** Narrows each layer's window to where paths below the bar can go on. */
function trim({ values, first, last }: Table, floors: Floors, { layers, width, enough }: Shape): void {
  for (let layer = 0; layer < layers; layer++) {
    const isDead = (cell: number): boolean =>
      (values[layer * width + cell] as number) > floorOf(floors, layer, cell, { width, enough });
    let [from, to] = [first[layer] as number, last[layer] as number];
    while (from <= to && isDead(from)) values[layer * width + from++] = NEVER;
    while (to >= from && isDead(to)) values[layer * width + to--] = NEVER;
    [first[layer], last[layer]] = from <= to ? [from, to] : [layers * width, -1];
  }
}

const floorOf = (
  { atEnough, atLast, perCell }: Floors,
  layer: number,
  cell: number,
  { width, enough }: Pick<Shape, "width" | "enough">,
): number =>
  cell === width - 1 ? (atLast[layer] as number) : (atEnough[layer] as number) - perCell * (enough - cell);

/** Everything within reach of a step goes on by it, if a path below the bar can. The innermost loop of all: plain numbers only. */
function takeStep(open: Table, target: Table, step: Candidate, { shape, floors }: StepTools): Taken {
  const { layers, width, enough } = shape;
  const [spared, taken, cost] = [sparedBy(step, shape), wildcardsOf(step, shape), costOf(step, shape)];
  const end = width - 1;
  const marks = createMarks(
    layers,
    Math.min(firstOf(open) + spared, end),
    Math.min(lastOf(open) + spared, end),
  );
  const lastFrom = new Int32Array(layers);
  const { values } = target;
  const { perCell } = floors;
  for (let left = taken; left < layers; left++) {
    const [row, layer] = [left * width, left - taken];
    const nextRow = layer * width;
    const last = open.last[left] as number;
    const atLast = floors.atLast[layer] as number;
    const atNone = (floors.atEnough[layer] as number) - perCell * enough;
    let [least, most] = [target.first[layer] as number, target.last[layer] as number];
    for (let cell = open.first[left] as number; cell <= last; cell++) {
      const value = (open.values[row + cell] as number) + cost;
      const next = cell + spared < end ? cell + spared : end;
      if (value > (next === end ? atLast : atNone + perCell * next)) continue;
      if (value >= (values[nextRow + next] as number)) continue;
      values[nextRow + next] = value;
      if (next < least) least = next;
      if (next > most) most = next;
      mark(marks, layer, next);
      if (next === end) lastFrom[layer] = row + cell;
    }
    [target.first[layer], target.last[layer]] = [least, most];
  }
  return { step, cells: marks, lastFrom };
}

interface StepTools {
  readonly shape: Shape;
  readonly floors: Floors;
}

/** The best cell at the end, and the way back from it. */
function findEnd(
  { values }: Table,
  trails: readonly (Trail | undefined)[],
  candidates: readonly (readonly Candidate[])[],
  shape: Shape,
): DenseResult | undefined {
  const { width, layers, enough, worth } = shape;
  let [best, at] = [NEVER, -1];
  for (let cell = width - 1; cell >= enough; cell--) {
    for (let left = 0; left < layers; left++) {
      const value = values[left * width + cell] as number;
      if (value < best) [best, at] = [value, left * width + cell];
    }
  }
  if (at < 0) return undefined;
  const steps = trace(at, trails, candidates, shape);
  const cost = steps.reduce((sum, { collateral, patterns }) => sum + collateral + worth * patterns, 0);
  return { steps, cost };
}

function trace(
  end: number,
  trails: readonly (Trail | undefined)[],
  candidates: readonly (readonly Candidate[])[],
  shape: Shape,
): Candidate[] {
  const { width } = shape;
  const steps: Candidate[] = [];
  for (let [to, cell] = [candidates.length, end]; to > 0;) {
    const trail = trails[to];
    const [layer, spared] = [Math.floor(cell / width), cell % width];
    const source =
      trail && isMarked(trail.arrived, layer, spared)
        ? trail.steps.findLast(({ cells }) => isMarked(cells, layer, spared))
        : undefined;
    if (!source) {
      const exact = candidates[to - 1]?.find((step) => !isOther(step));
      if (!exact) throw new Error("hole-in-path");
      steps.push(exact);
      to -= 1;
      continue;
    }
    const { step, lastFrom } = source;
    const left = layer + wildcardsOf(step, shape);
    cell = spared === width - 1 ? (lastFrom[layer] as number) : left * width + spared - sparedBy(step, shape);
    steps.push(step);
    to = step.from;
  }
  return steps.reverse();
}
