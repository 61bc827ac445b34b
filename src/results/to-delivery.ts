import { findRuleChanges } from "../core/edge-rules/changes.ts";
import { isSameRules } from "../core/edge-rules/same.ts";
import type { EdgeRules } from "../core/model/edge-rules.ts";
import { elsewhereOf, releaseOf, type Origin, type Wanted } from "../core/model/wanted.ts";
import { showChangeReason, UNCHANGED } from "../words/reasons.ts";
import { showDeliveryWarning } from "../words/warnings.ts";
import type { DeliveryDecision } from "../core/delivery/decide.ts";
import type { EdgeOutcome } from "../core/model/edge-outcome.ts";
import { byText, type ObjectKey } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import { isAssetLike } from "../core/model/role.ts";
import { phaseOf, stepsOf, targetOf, type PhaseName } from "../core/model/plan.ts";
import type { HeaderRules } from "../core/build/headers.ts";
import { toInvalidationResult } from "./invalidation.ts";
import type { DestinationState, PreviewRecord } from "../core/model/release.ts";
import type { DeliveryResult } from "./delivery.ts";
import { decideKeptUntil, type RetentionRule } from "../core/history/retention.ts";

export interface ResultFacts {
  readonly site: string;
  readonly destination: string;
  readonly url: string | undefined;
  readonly decision: DeliveryDecision;
  readonly state: DestinationState;
  readonly origin: Origin;
  /** Of what is delivered. */
  readonly firstVisit: Wanted["firstVisit"];
  readonly retention: RetentionRule;
  readonly askedAnew: HeaderRules["askedAnew"];
  /** Whether unchanged files are listed too. */
  readonly all: boolean;
  readonly dryRun: boolean;
  readonly requests: DeliveryResult["requests"];
  readonly phases: readonly { readonly name: PhaseName | "gather" | "hold"; readonly seconds: number }[];
  /** What edges that were asked have confirmed, and what not. */
  readonly outcomes: readonly EdgeOutcome[];
  /** What was not written after all, since an edge has not confirmed. */
  readonly heldBack: ReadonlySet<ObjectKey>;
  /** What was cleared; absent: all that the plan says, or would be. */
  readonly cleared?: ReadonlySet<ObjectKey>;
  /** Of a preview alone. */
  readonly preview?: PreviewRecord | undefined;
}

/** The result of a delivery, or what it would be. */
export function toDeliveryResult(planned: ResultFacts): DeliveryResult {
  const facts = withoutHeldBack(planned);
  const { decision, state } = facts;
  const { comparison, plan } = decision;
  const redelivers = releaseOf(facts.origin);
  const takenFrom = elsewhereOf(facts.origin);
  const expired = facts.cleared ?? new Set(stepsOf(phaseOf(plan, "clear")).map(targetOf));
  const removed = stepsOf(phaseOf(plan, "switch")).flatMap((step) =>
    step.do === "remove" ? [step.key] : [],
  );
  const kept = comparison.stale
    .filter(({ recorded }) => isAssetLike(recorded.role) && !expired.has(recorded.key))
    .map(({ recorded }) => {
      const lastIn = recorded.lastIn ?? state.waybill?.release ?? 0;
      return { key: recorded.key, lastIn, until: decideKeptUntil(state, lastIn, facts.retention) };
    });
  return {
    site: facts.site,
    destination: facts.destination,
    release: plan.release,
    previous: plan.previous,
    ...(redelivers === undefined ? {} : { redelivers }),
    dryRun: facts.dryRun,
    counts: toCounts(facts),
    bytes: toBytes(facts),
    changes: toChanges(facts),
    heldBack: [...facts.heldBack].sort(byText),
    pruned: [
      ...removed,
      ...comparison.stale.map(({ recorded }) => recorded.key).filter((key) => expired.has(key)),
    ].sort(),
    kept,
    invalidation: toInvalidationResult(
      [...plan.unmaskings, ...plan.invalidations, ...plan.lateInvalidations],
      {
        ...{ outcomes: facts.outcomes, orphans: decision.orphans, dryRun: facts.dryRun },
        ...{ sparable: decision.sparable, askedAnew: facts.askedAnew?.page },
      },
    ),
    ...(decision.newEdgeRules && { edgeRules: toRuleChanges(decision.newEdgeRules, state) }),
    generated: toGenerated(facts),
    requests: { ...facts.requests },
    phases: facts.phases.map(({ name, seconds }) => ({ name, seconds: Math.round(seconds * 1000) / 1000 })),
    ...(facts.url === undefined ? {} : { url: facts.url }),
    ...(takenFrom === undefined ? {} : { takenFrom }),
    ...(facts.preview && { preview: facts.preview }),
    ...toFirstVisit(facts),
    warnings: decision.warnings.map(showDeliveryWarning),
  };
}

function toRuleChanges(after: EdgeRules, { waybill }: DestinationState): DeliveryResult["edgeRules"] {
  const before = waybill?.edgeRules;
  return { drifted: isSameRules(before, after), changes: findRuleChanges(before, after) };
}

/** What a delivery changes about the first visit to the entry page; what is new in it, the largest first. */
function toFirstVisit({ firstVisit, state, decision }: ResultFacts): Pick<DeliveryResult, "firstVisit"> {
  const before = state.waybill?.firstVisit;
  if (!firstVisit || before?.page !== firstVisit.page || before.wire === firstVisit.wire) return {};
  const { page, wire, files } = firstVisit;
  const by = decision.comparison.changes
    .filter(({ parcel, kind }) => files?.has(parcel.key) && kind !== "relabelled" && kind !== "moved")
    .toSorted((a, b) => b.parcel.size - a.parcel.size)
    .map(({ parcel }) => parcel.key);
  return { firstVisit: { page, before: before.wire, after: wire, by } };
}

/** The same as if what waits had not been planned. */
function withoutHeldBack(facts: ResultFacts): ResultFacts {
  const { heldBack, decision } = facts;
  if (heldBack.size === 0) return facts;
  const changes = decision.comparison.changes.filter(({ parcel }) => !heldBack.has(parcel.key));
  const phases = decision.plan.phases.filter(({ name }) => name !== "announce");
  return {
    ...facts,
    decision: {
      ...decision,
      comparison: { ...decision.comparison, changes },
      plan: { ...decision.plan, phases },
    },
  };
}

function toCounts({ decision: { comparison } }: ResultFacts): DeliveryResult["counts"] {
  const counts = { new: 0, replaced: 0, relabelled: 0, moved: 0, drifted: 0, missing: 0 };
  for (const { kind, parcel } of comparison.changes) if (isBuilt(parcel)) counts[kind] += 1;
  return {
    ...counts,
    unchanged: comparison.unchanged.filter(isBuilt).length,
    stale: comparison.stale.filter(({ recorded }) => isBuilt(recorded)).length,
    foreign: comparison.foreign.length,
  };
}

/** A file of the build itself, and not an object made for an address. */
const isBuilt = (parcel: Parcel): boolean => parcel.aliasOf === undefined && parcel.redirectsTo === undefined;

function toGenerated({ decision: { comparison } }: ResultFacts): DeliveryResult["generated"] {
  return {
    written: comparison.changes.filter(({ parcel }) => !isBuilt(parcel)).length,
    unchanged: comparison.unchanged.filter((parcel) => !isBuilt(parcel)).length,
    removed: comparison.stale.filter(({ recorded }) => !isBuilt(recorded)).length,
  };
}

/** Bytes of the build's files; vault copies are not among them. */
function toBytes({ decision: { plan, comparison } }: ResultFacts): DeliveryResult["bytes"] {
  const made = new Set(
    comparison.changes.filter(({ parcel }) => !isBuilt(parcel)).map(({ parcel }) => parcel.key),
  );
  const sent = plan.phases
    .flatMap(stepsOf)
    .flatMap((step) => (step.do === "send" && !made.has(step.parcel.key) ? [step.parcel] : []));
  for (const { key } of sent) made.add(key);
  const copied = plan.phases
    .filter(({ name }) => name !== "keep")
    .flatMap(stepsOf)
    .filter((step) => step.do === "copy" && !made.has(step.to));
  const sum = (sizes: readonly number[]): number => sizes.reduce((total, size) => total + size, 0);
  return {
    sent: sum(sent.map(({ size }) => size)),
    copied: sum(copied.map((step) => (step.do === "copy" ? step.size : 0))),
    unchanged: sum(comparison.unchanged.filter(isBuilt).map(({ size }) => size)),
  };
}

function toChanges({ decision: { comparison, plan }, all }: ResultFacts): DeliveryResult["changes"] {
  const sent = new Set(
    plan.phases.flatMap(stepsOf).flatMap((step) => (step.do === "send" ? [step.parcel.key] : [])),
  );
  const changes: DeliveryResult["changes"] = comparison.changes
    .filter(({ parcel }) => isBuilt(parcel))
    .map(({ kind, parcel, reason }) => ({
      key: parcel.key,
      change: kind,
      role: parcel.role,
      size: parcel.size,
      by: sent.has(parcel.key) ? "sending" : "copying",
      reason: showChangeReason(reason),
    }));
  if (!all) return changes;
  const unchanged = comparison.unchanged
    .filter(isBuilt)
    .map(({ key, role, size }) => ({ key, change: "unchanged" as const, role, size, reason: UNCHANGED }));
  return [...changes, ...unchanged].sort((a, b) => (a.key < b.key ? -1 : 1));
}
