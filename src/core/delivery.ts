import { compareParcels, type Comparison, type Probe } from "./compare.ts";
import { findRefusals } from "./guards.ts";
import { encodeKey, type AddressRules } from "./addresses.ts";
import type { ObjectKey, UrlPath } from "./model/names.ts";
import { isAssetLike } from "./model/parcel.ts";
import type { Plan } from "./model/plan.ts";
import type { DestinationState, RetainedRelease, Waybill } from "./model/release.ts";
import type { RoutingRule } from "./model/website.ts";
import { findOrderViolations } from "./order.ts";
import type { Analysis } from "./analysis.ts";
import { longestPageFreshness } from "./parcels.ts";
import { planDelivery } from "./plan.ts";
import { listed, placeOf, type Problem } from "./problems.ts";
import { selectExpiredState, selectNeededContents, selectRetained, type RetentionRule } from "./retention.ts";
import { selectInvalidations, type EdgeNeeds } from "./stale-addresses.ts";

export interface DeliveryFacts {
  readonly site: string;
  readonly analysis: Analysis;
  readonly state: DestinationState;
  readonly probes: ReadonlyMap<ObjectKey, Probe>;
  readonly retention: RetentionRule;
  readonly addresses: AddressRules;
  readonly bucketPrefix: string;
  readonly edges: readonly EdgeNeeds[];
  readonly vanishShare: number;
  readonly sequence?: number | undefined;
  readonly isExposed: boolean;
  readonly allowed: ReadonlySet<string>;
  /** Waybills of the releases that stay retained, without the current one; undefined where one could not be read. */
  readonly olderWaybills: readonly Waybill[] | undefined;
}

/** Everything that is decided about a delivery before its first write. */
export interface DeliveryDecision {
  readonly comparison: Comparison;
  readonly plan: Plan;
  /** What speaks against it; nothing is written while this is not empty. */
  readonly refusals: readonly Problem[];
  readonly warnings: readonly string[];
  /** Releases before the new one that stay restorable, newest first. */
  readonly retained: readonly RetainedRelease[];
  readonly pageFreshnessSeconds: number;
  /** Whether there is a release to make; without, what is owed is paid all the same. */
  readonly makesRelease: boolean;
  /** The rules that the website endpoint gets in this delivery; undefined: it has them already. */
  readonly newRouting?: readonly RoutingRule[] | undefined;
}

/** The older releases whose waybills a decision needs: those that stay, when some record goes. */
export function selectNeededWaybills(state: DestinationState, retention: RetentionRule): RetainedRelease[] {
  const stay = selectRetained(state, nextRelease(state), retention);
  const records = state.listing.filter(({ key }) => key.startsWith(".courier/releases/")).length;
  return records > stay.length ? stay.filter(({ release }) => release !== state.pointer?.release) : [];
}

export const nextRelease = (state: DestinationState): number => (state.pointer?.release ?? 0) + 1;

/** Decides a whole delivery. Throws only where the plan would break an order invariant, which is a fault of ours. */
export function decideDelivery(facts: DeliveryFacts): DeliveryDecision {
  const { state, retention } = facts;
  const { parcels, problems } = facts.analysis;
  const comparison = compareParcels(parcels, state, facts.probes);
  const newRouting = findNewRouting(facts);
  const makesRelease = newRouting !== undefined || needsRelease(comparison, facts);
  const release = makesRelease ? nextRelease(state) : (state.pointer?.release ?? 0);
  const retained = selectRetained(state, release, retention);
  const keepsPrevious =
    retained.some((candidate) => candidate.release === state.pointer?.release) || state.pointer === undefined;
  const edges = selectInvalidations({
    comparison,
    addresses: facts.addresses,
    edges: facts.edges,
    owed: state.pointer?.owed ?? [],
    patterns: toPatterns(facts, newRouting),
  });
  const expired =
    makesRelease || comparison.pending.size > 0 ? selectExpired(facts, comparison, retained) : [];
  const plan = planDelivery({ release, state, comparison, keepsPrevious, expired, ...edges });

  const violations = findOrderViolations(plan, { state, comparison, keepsPrevious });
  if (violations.length > 0)
    throw new Error(
      `the plan breaks an order invariant: ${listed(violations.map(({ invariant, message }) => `${invariant} ${message}`))}`,
    );
  return {
    comparison,
    plan,
    refusals: findRefusals({ ...facts, comparison, problems }, facts.allowed),
    warnings: findWarnings(facts, comparison),
    retained,
    pageFreshnessSeconds: longestPageFreshness(parcels),
    makesRelease,
    newRouting,
  };
}

function findNewRouting({ analysis, state }: DeliveryFacts): readonly RoutingRule[] | undefined {
  const before = state.waybill?.routing ?? [];
  return JSON.stringify(before) === JSON.stringify(analysis.routing) ? undefined : analysis.routing;
}

/** What old and new routing rules reach: an edge may hold any of it as it was. */
function toPatterns(
  { state, addresses, bucketPrefix }: DeliveryFacts,
  newRouting: readonly RoutingRule[] | undefined,
): UrlPath[] {
  if (!newRouting) return [];
  const prefixes = [...(state.waybill?.routing ?? []), ...newRouting].map(({ prefix }) =>
    prefix.slice(bucketPrefix.length),
  );
  return [...new Set(prefixes)].map((prefix) => `${addresses.basePath}${encodeKey(prefix)}*`);
}

/** A build that equals the release makes none, not even to write what that release still had to announce. */
function needsRelease(
  { changes, unrecorded, pending }: Comparison,
  { state, analysis: { parcels } }: DeliveryFacts,
): boolean {
  if (state.waybill === undefined || changes.some(({ parcel }) => !pending.has(parcel.key))) return true;
  const keys = new Set(parcels.map(({ key }) => key));
  return (
    unrecorded.some((key) => !pending.has(key)) || state.waybill.parcels.some(({ key }) => !keys.has(key))
  );
}

function selectExpired(
  { state, olderWaybills }: DeliveryFacts,
  comparison: Comparison,
  retained: readonly RetainedRelease[],
): ObjectKey[] {
  // A record that can't be read may name anything: then nothing is pruned.
  if (olderWaybills === undefined) return [];
  const stays = new Set(retained.map(({ release }) => release));
  const assets = comparison.stale
    .filter(
      ({ recorded }) =>
        isAssetLike(recorded.role) && !stays.has(recorded.lastIn ?? state.waybill?.release ?? 0),
    )
    .map(({ recorded }) => recorded.key);
  const current = state.waybill && stays.has(state.waybill.release) ? [state.waybill] : [];
  // Without the older waybills nothing is known of what they need; they are read whenever a record goes.
  const known = olderWaybills.length + current.length === retained.length;
  return known
    ? [
        ...assets,
        ...selectExpiredState(state, retained, selectNeededContents([...current, ...olderWaybills])),
      ]
    : assets;
}

function findWarnings({ analysis, state, olderWaybills }: DeliveryFacts, comparison: Comparison): string[] {
  const warnings: string[] = [];
  const lesser = analysis.problems.filter(({ severity }) => severity === "warning");
  if (lesser.length > 0) {
    const first = lesser[0] as Problem;
    const more = lesser.length > 1 ? `, and ${lesser.length - 1} more: rcourier survey` : "";
    warnings.push(`${placeOf(first)}${first.message}${more}`);
  }
  const drifted = comparison.changes
    .filter(({ kind }) => kind === "drifted" || kind === "missing")
    .map(({ parcel }) => parcel.key);
  if (drifted.length > 0)
    warnings.push(
      `changed or removed by other means since release ${state.pointer?.release}: ${listed(drifted)}`,
    );
  if (comparison.foreign.length > 0) warnings.push(`not ours, left alone: ${listed(comparison.foreign)}`);
  if (olderWaybills === undefined)
    warnings.push("the record of an earlier release can't be read: nothing is pruned");
  return warnings;
}
