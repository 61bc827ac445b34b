import type { EdgeFailure } from "./edge.ts";
import type { UrlPath } from "./names.ts";

/** What came of asking an edge. */
export interface EdgeOutcome {
  /** Its name. */
  readonly edge: string;
  /** What it is. */
  readonly identity: string;
  /** What it was asked for and has confirmed. */
  readonly settled: readonly UrlPath[];
  /** What it was asked for and has not confirmed. */
  readonly left: ReadonlySet<UrlPath>;
  /** Addresses that were read back and are right. */
  readonly read: ReadonlySet<UrlPath>;
  /** Forms in which each was read at each place of it. */
  readonly forms: number;
  /** Answers that were never delivered, where the edge may give such. */
  readonly odd?: { readonly count: number; readonly first: string };
  readonly failure?: EdgeFailure;
}

/** Of an edge whose turn has not come. */
export const toUnasked = ({
  edge,
  identity,
  addresses,
}: Pick<EdgeOutcome, "edge" | "identity"> & { readonly addresses: readonly UrlPath[] }): EdgeOutcome => ({
  ...{ edge, identity, settled: [], left: new Set(addresses), read: new Set(), forms: 0 },
});

/** What edges have not confirmed after several rounds: what a later one has confirmed counts. */
export function mergeOutcomes(rounds: readonly EdgeOutcome[]): EdgeOutcome[] {
  const byEdge = new Map<string, EdgeOutcome>();
  for (const outcome of rounds) {
    const before = byEdge.get(outcome.edge);
    byEdge.set(outcome.edge, before ? merge(before, outcome) : outcome);
  }
  return [...byEdge.values()];
}

function merge(before: EdgeOutcome, after: EdgeOutcome): EdgeOutcome {
  const left = new Set(before.left);
  for (const address of after.settled) left.delete(address);
  for (const address of after.left) left.add(address);
  const all = new Set([...before.settled, ...before.left, ...after.settled, ...after.left]);
  return {
    ...before,
    ...after,
    settled: [...all].filter((address) => !left.has(address)),
    left,
    read: new Set([...before.read, ...after.read]),
    forms: Math.max(before.forms, after.forms),
  };
}
