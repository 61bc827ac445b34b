import type { AskedAnew } from "../core/model/reasons.ts";
import { showAskedAnewHint, showFreshnessHint, showQueryHint } from "../words/invalidations.ts";
import { byText } from "../core/model/names.ts";
import type { AddressWeight, EdgeInvalidation } from "../core/model/plan.ts";
import type { EdgeOutcome } from "../core/model/edge-outcome.ts";
import type { OwedInvalidation } from "../core/model/release.ts";
import type { DeliveryResult } from "./delivery.ts";

export interface InvalidationFacts {
  /** What edges that were asked have confirmed, and what not. */
  readonly outcomes: readonly EdgeOutcome[];
  /** What edges owe that are no longer in the settings. */
  readonly orphans: readonly OwedInvalidation[];
  readonly dryRun: boolean;
  /** How many addresses are asked for only since an edge is not known to keep to `max-age=0`, by edge. */
  readonly sparable: ReadonlyMap<string, number>;
  /** Why no edge is told to hold pages; absent: they are held. */
  readonly askedAnew?: AskedAnew | undefined;
}

/** What edges were asked for, or would be, in all rounds together. */
export function toInvalidationResult(
  requests: readonly EdgeInvalidation[],
  { outcomes, orphans, dryRun, sparable, askedAnew }: InvalidationFacts,
): DeliveryResult["invalidation"] {
  const names = [...new Set(requests.map(({ edge }) => edge))];
  const edges = names.map((edge) => {
    const own = requests.filter((request) => request.edge === edge);
    const outcome = outcomes.find((candidate) => candidate.edge === edge);
    return {
      edge,
      patterns: selectOutermost(own.flatMap(({ patterns }) => patterns)),
      addresses: unique(own.flatMap(({ addresses }) => addresses)).length,
      collateral: sum(own.map(({ collateral }) => collateral)),
      gap: own.reduce((total, { gap }) => total + gap, 0),
      confirmed: outcome?.left.size === 0 && outcome.read.size > 0,
      read: { addresses: outcome?.read.size ?? 0, forms: outcome?.forms ?? 0 },
    };
  });
  const left = [
    ...outcomes.flatMap((outcome) => [...outcome.left]),
    ...orphans.flatMap(({ addresses }) => addresses),
  ];
  return {
    addresses: unique(requests.flatMap(({ addresses }) => addresses)),
    patterns: unique(edges.flatMap(({ patterns }) => patterns)),
    collateral: largest(edges.map(({ collateral }) => collateral)),
    everything: largest(requests.map(({ everything }) => everything)),
    confirmed: !dryRun && left.length === 0 && edges.every(({ confirmed }) => confirmed),
    owed: dryRun ? [] : unique(left),
    edges: edges.map(({ patterns, ...edge }) => ({ ...edge, patterns: patterns.length })),
    hints: [
      ...(askedAnew === undefined || names.length === 0 ? [] : [showAskedAnewHint(askedAnew)]),
      ...names.flatMap((edge) => toHints(edge, requests, sparable.get(edge) ?? 0)),
    ],
  };
}

/** Each pattern once, without those that another one takes along. */
function selectOutermost(patterns: readonly string[]): string[] {
  const trees = unique(patterns.filter((pattern) => pattern.endsWith("*")));
  return unique(patterns).filter(
    (pattern) => !trees.some((tree) => tree !== pattern && pattern.startsWith(tree.slice(0, -1))),
  );
}

/** Settings that would spare something, where it is not known what the edge does. */
function toHints(edge: string, requests: readonly EdgeInvalidation[], sparable: number): string[] {
  const own = requests.filter((request) => request.edge === edge);
  const hints: string[] = [];
  const unsaid = own.flatMap(({ withoutQueries, patterns, collateral }) =>
    withoutQueries ? [{ withoutQueries, patterns: patterns.length, collateral }] : [],
  );
  const patterns = unsaid.reduce((total, entry) => total + entry.patterns - entry.withoutQueries.patterns, 0);
  const bytes =
    sum(unsaid.map(({ collateral }) => collateral)).bytes -
    sum(unsaid.map(({ withoutQueries }) => withoutQueries.collateral)).bytes;
  if (patterns > 0 || bytes > 0) hints.push(showQueryHint(edge, patterns));
  if (sparable > 0) hints.push(showFreshnessHint(edge, sparable));
  return hints;
}

const unique = (items: readonly string[]): string[] => [...new Set(items)].sort(byText);

const sum = (weights: readonly AddressWeight[]): { addresses: number; bytes: number } => ({
  addresses: weights.reduce((total, { addresses }) => total + addresses, 0),
  bytes: weights.reduce((total, { bytes }) => total + bytes, 0),
});

const largest = (weights: readonly AddressWeight[]): { addresses: number; bytes: number } =>
  weights.reduce((most, weight) => (weight.bytes > most.bytes ? weight : most), { addresses: 0, bytes: 0 });
