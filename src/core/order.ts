import type { Comparison } from "./compare.ts";
import { isStateKey, vaultKey, type ObjectKey } from "./model/names.ts";
import { isAssetLike, isHtml, type Role } from "./model/parcel.ts";
import { stepsOf, targetOf, type Plan, type Step } from "./model/plan.ts";
import type { DestinationState } from "./model/release.ts";

/** A plan that breaks an order invariant (docs/order-of-effects.md) is a fault of ours and is never begun. */
export interface OrderViolation {
  readonly invariant: "O1" | "O2" | "O3" | "O7" | "copy-source";
  readonly key: ObjectKey;
  readonly message: string;
}

/** Checks a plan against the order invariants that the order of its steps can break. */
export function findOrderViolations(
  plan: Plan,
  facts: {
    readonly state: DestinationState;
    readonly comparison: Comparison;
    readonly keepsPrevious: boolean;
  },
): OrderViolation[] {
  const turns = plan.phases.flatMap((phase) =>
    phase.groups.map((group) => ({ phase: phase.name, steps: group.steps })),
  );
  const steps = turns.flatMap(({ phase, steps: all }, turn) => all.map((step) => ({ step, phase, turn })));
  return [
    ...(facts.keepsPrevious ? findUnkept(steps, facts.state, facts.comparison) : []),
    ...findEarlyPages(steps),
    ...findEarlyEntry(steps),
    ...findStrayWrites(plan, facts.comparison),
    ...findSpoiledSources(steps),
  ];
}

interface PlacedStep {
  readonly step: Step;
  readonly phase: string;
  readonly turn: number;
}

/** O1: nothing is overwritten or removed before its content is in the vault. */
function findUnkept(
  steps: readonly PlacedStep[],
  state: DestinationState,
  comparison: Comparison,
): OrderViolation[] {
  const kept = new Map<ObjectKey, number>();
  for (const { key } of state.listing) if (isStateKey(key)) kept.set(key, -1);
  for (const { step, turn } of steps) if (step.do === "copy" && isStateKey(step.to)) kept.set(step.to, turn);
  const contents = new Map([
    ...comparison.stale.map(({ recorded, standingHash }): [ObjectKey, string] => [
      recorded.key,
      standingHash,
    ]),
    ...comparison.changes.flatMap(({ parcel, standingHash }): [ObjectKey, string][] =>
      standingHash === undefined || standingHash === parcel.storedHash ? [] : [[parcel.key, standingHash]],
    ),
  ]);
  return steps.flatMap(({ step, phase, turn }) => {
    const content = phase === "clear" ? undefined : contents.get(targetOf(step));
    const isKept = content === undefined || (kept.get(vaultKey(content)) ?? Infinity) < turn;
    return isKept
      ? []
      : [violation("O1", targetOf(step), "is overwritten or removed before its content is kept")];
  });
}

/** O2: a page is written only when every asset is there. */
function findEarlyPages(steps: readonly PlacedStep[]): OrderViolation[] {
  const assets = steps.filter(({ step }) => isAssetLike(roleOf(step) ?? "page"));
  const lastAsset = assets.reduce((last, { turn }) => Math.max(last, turn), -1);
  return steps
    .filter(({ step, turn }) => isPage(step) && turn <= lastAsset)
    .map(({ step }) => violation("O2", targetOf(step), "is a page written before all assets are there"));
}

/** O3: the entry page is the last page, and workers come after it and after the record. */
function findEarlyEntry(steps: readonly PlacedStep[]): OrderViolation[] {
  const entry = steps.find(({ step }) => roleOf(step) === "entry")?.turn ?? Infinity;
  return steps.flatMap(({ step, turn, phase }) => {
    if (isPage(step) && roleOf(step) !== "entry" && turn >= entry)
      return [violation("O3", targetOf(step), "is a page written after the entry page")];
    const early = roleOf(step) === "worker" && phase !== "announce" && !/manifest/i.test(targetOf(step));
    return early
      ? [violation("O3", targetOf(step), "is a worker written before the pages are confirmed")]
      : [];
  });
}

/** O7: no write to a foreign object, and none of a step to our own records but the vault's. */
function findStrayWrites(plan: Plan, comparison: Comparison): OrderViolation[] {
  const foreign = new Set(comparison.foreign);
  return plan.phases.flatMap((phase) =>
    stepsOf(phase)
      .map(targetOf)
      .filter(
        (key) =>
          foreign.has(key) || (isStateKey(key) && phase.name !== "clear" && !key.startsWith(vaultKey(""))),
      )
      .map((key) => violation("O7", key, "is not this delivery's to write")),
  );
}

/** No copy reads a key that the same plan writes or removes before it, unless just the bytes that the copy wants were written. */
function findSpoiledSources(steps: readonly PlacedStep[]): OrderViolation[] {
  const touched = new Map<ObjectKey, PlacedStep>();
  for (const placed of steps)
    if (!touched.has(targetOf(placed.step))) touched.set(targetOf(placed.step), placed);
  return steps.flatMap(({ step, turn }) => {
    const source = step.do === "copy" && step.from !== step.to ? touched.get(step.from) : undefined;
    if (step.do !== "copy" || !source || source.turn > turn) return [];
    const isWanted = source.turn < turn && writtenHash(source.step) === step.storedHash;
    return isWanted ? [] : [violation("copy-source", step.from, "is read after it was written or removed")];
  });
}

const writtenHash = (step: Step): string | undefined =>
  step.do === "send" ? step.parcel.storedHash : step.do === "copy" ? step.storedHash : undefined;

const roleOf = (step: Step): Role | undefined =>
  step.do === "send" ? step.parcel.role : step.do === "copy" ? step.role : undefined;

function isPage(step: Step): boolean {
  const role = roleOf(step);
  const headers = step.do === "send" ? step.parcel.headers : step.do === "copy" ? (step.headers ?? {}) : {};
  return (role === "page" || role === "entry" || role === "notFound") && isHtml({ headers });
}

const violation = (
  invariant: OrderViolation["invariant"],
  key: ObjectKey,
  message: string,
): OrderViolation => ({ invariant, key, message: `${key} ${message}` });
