import { isManifest } from "../model/polled.ts";
import { listAddresses, type AddressRules } from "../addresses/addresses.ts";
import type { Comparison } from "../compare/compare.ts";
import { isStateKey, vaultKey, type ObjectKey } from "../model/names.ts";
import { isHtml, type Parcel } from "../model/parcel.ts";
import { isAssetLike, type Role, isPageLike } from "../model/role.ts";
import { stepsOf, targetOf, type Plan, type Step, type StepPhase } from "../model/plan.ts";
import type { DestinationState } from "../model/release.ts";

/** A plan that breaks an order invariant (docs/order-of-effects.md) is a fault of ours and is never begun. */
export interface OrderViolation {
  readonly invariant: "O1" | "O2" | "O3" | "O4" | "O5" | "O6" | "O7" | "O8" | "O9" | "copy-source";
  readonly key: string;
  /** The edge that is left out, where one is. */
  readonly edge?: string;
}

/** Reaching it is a fault of ours. */
export class OrderFault extends Error {
  constructor(readonly violations: readonly OrderViolation[]) {
    super(violations.map(({ invariant, key, edge = "" }) => `${invariant} ${key} ${edge}`.trim()).join(", "));
    this.name = "OrderFault";
  }
}

export interface OrderFacts {
  readonly state: DestinationState;
  readonly comparison: Comparison;
  readonly keepsPrevious: boolean;
  readonly parcels: readonly Parcel[];
  readonly addressRules: AddressRules;
  readonly edges: readonly { readonly name: string }[];
  /** What pages load, by the build's references; empty where nothing is known of them. */
  readonly loaded: ReadonlySet<ObjectKey>;
  /** Addresses that an edge can't hold, by edge. */
  readonly spared?: ReadonlyMap<string, ReadonlySet<string>>;
}

/** Checks a plan against the order invariants. Their other half, that steps are confirmed and asked for again, is the engine's. */
export function findOrderViolations(plan: Plan, facts: OrderFacts): OrderViolation[] {
  const turns = plan.phases.flatMap((phase) =>
    phase.groups.map((group) => ({ phase: phase.name, steps: group.steps })),
  );
  const steps = turns.flatMap(({ phase, steps: all }, turn) => all.map((step) => ({ step, phase, turn })));
  return [
    ...(facts.keepsPrevious ? findUnkept(steps, facts.state, facts.comparison) : []),
    ...findEarlyPages(steps, facts),
    ...findMasked(plan, facts),
    ...findEarlyEntry(steps, facts),
    ...findUnwritten(steps, facts),
    ...findEarlyInvalidations(steps, plan, facts),
    ...findEarlyPruning(steps, facts.comparison),
    ...findStrayWrites(plan, facts.comparison),
    ...findUnexpecting(steps, facts.state),
    ...findUnowed(plan),
    ...findSpoiledSources(steps),
  ];
}

interface PlacedStep {
  readonly step: Step;
  readonly phase: StepPhase["name"];
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
    return isKept ? [] : [violation("O1", targetOf(step))];
  });
}

/** O2: a page is written only when every asset is there, and whatever else pages load. */
function findEarlyPages(steps: readonly PlacedStep[], { loaded }: OrderFacts): OrderViolation[] {
  const assets = steps.filter(
    ({ step }) =>
      !isPage(step) &&
      step.do !== "remove" &&
      (isAssetLike(roleOf(step) ?? "page") || loaded.has(targetOf(step))),
  );
  const lastAsset = assets.reduce((last, { turn }) => Math.max(last, turn), -1);
  return steps
    .filter(({ step, turn }) => isPage(step) && turn <= lastAsset)
    .map(({ step }) => violation("O2", targetOf(step)));
}

/** O2: an asset that a run which died has left is asked for before any page: an edge may hold that it is missing. */
function findMasked({ unmaskings }: Plan, { comparison, addressRules, edges }: OrderFacts): OrderViolation[] {
  const unrecorded = new Set(comparison.unrecorded);
  if (unrecorded.size === 0) return [];
  const left = comparison.unchanged.filter(
    ({ key, role, isLoaded }) => unrecorded.has(key) && (isAssetLike(role) || isLoaded === true),
  );
  return edges.flatMap(({ name }) => {
    const asked = new Set(
      unmaskings.filter(({ edge }) => edge === name).flatMap((request) => request.addresses),
    );
    return left
      .filter(({ key }) => listAddresses(key, addressRules).some((one) => !asked.has(one)))
      .map(({ key }) => violation("O2", key, name));
  });
}

/** O3: the entry page is the last page, and workers come after it and after the record. */
function findEarlyEntry(steps: readonly PlacedStep[], { loaded }: OrderFacts): OrderViolation[] {
  const entry = steps.find(({ step }) => roleOf(step) === "entry")?.turn ?? Infinity;
  return steps.flatMap(({ step, turn, phase }) => {
    if (isPage(step) && roleOf(step) !== "entry" && turn >= entry) return [violation("O3", targetOf(step))];
    const early =
      roleOf(step) === "worker" &&
      phase !== "announce" &&
      !isStateKey(targetOf(step)) &&
      !loaded.has(targetOf(step)) &&
      !isManifest(targetOf(step));
    return early ? [violation("O3", targetOf(step))] : [];
  });
}

/** O4: the pointer moves only when every parcel is there; workers follow it out of the vault. */
function findUnwritten(steps: readonly PlacedStep[], { parcels, comparison }: OrderFacts): OrderViolation[] {
  const there = new Set(comparison.unchanged.map(({ key }) => key));
  for (const { step, phase } of steps)
    if (step.do !== "remove" && (phase === "stock" || phase === "switch")) there.add(targetOf(step));
  const announced = new Set(
    steps
      .filter(({ step, phase }) => phase === "announce" && step.do === "copy")
      .map(({ step }) => targetOf(step)),
  );
  return parcels
    .filter(({ key, role }) => !there.has(key) && !(role === "worker" && announced.has(key)))
    .map(({ key }) => violation("O4", key));
}

/** O5: what a step changes is asked for in a round that comes after it, of every edge that can hold it. */
function findEarlyInvalidations(
  steps: readonly PlacedStep[],
  { unmaskings, invalidations, lateInvalidations }: Plan,
  { addressRules, edges, spared }: OrderFacts,
): OrderViolation[] {
  const rounds = {
    keep: [],
    stock: [...unmaskings, ...invalidations, ...lateInvalidations],
    switch: [...invalidations, ...lateInvalidations],
    announce: lateInvalidations,
    clear: [],
  };
  return edges.flatMap(({ name }) => {
    const asked = mapValues(
      rounds,
      (round) => new Set(round.filter(({ edge }) => edge === name).flatMap((request) => request.addresses)),
    );
    return steps
      .filter(({ phase }) => phase !== "keep" && phase !== "clear")
      .filter(({ step, phase }) =>
        listAddresses(targetOf(step), addressRules).some(
          (one) => !asked[phase].has(one) && spared?.get(name)?.has(one) !== true,
        ),
      )
      .map(({ step }) => violation("O5", targetOf(step), name));
  });
}

/** O6: assets go only in the last phase, which begins when every edge has confirmed. */
function findEarlyPruning(steps: readonly PlacedStep[], { stale }: Comparison): OrderViolation[] {
  const assets = new Set(
    stale.filter(({ recorded }) => isAssetLike(recorded.role)).map(({ recorded }) => recorded.key),
  );
  return steps
    .filter(({ step, phase }) => step.do === "remove" && phase !== "clear" && assets.has(step.key))
    .map(({ step }) => violation("O6", targetOf(step)));
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
      .map((key) => violation("O7", key)),
  );
}

/** O8: a step knows what stands where it writes. */
function findUnexpecting(steps: readonly PlacedStep[], { listing }: DestinationState): OrderViolation[] {
  const standing = new Map(listing.map(({ key, etag }) => [key, etag]));
  const expectedOf = (step: Step): string | undefined =>
    step.do === "remove" ? step.etag : step.expected === "absent" ? undefined : step.expected.etag;
  return steps
    .filter(({ step }) => expectedOf(step) !== standing.get(targetOf(step)))
    .map(({ step }) => violation("O8", targetOf(step)));
}

/** O9: what an edge is asked for was written down as owed before. */
function findUnowed({ unmaskings, invalidations, lateInvalidations, owed }: Plan): OrderViolation[] {
  const written = new Set(
    owed.flatMap(({ edge, addresses }) => addresses.map((address) => `${edge} ${address}`)),
  );
  return [...unmaskings, ...invalidations, ...lateInvalidations].flatMap(({ edge, identity, addresses }) =>
    addresses
      .filter((address) => !written.has(`${identity} ${address}`))
      .map((address) => violation("O9", address, edge)),
  );
}

/** No copy reads a key that the same plan writes or removes before it, unless just the bytes that the copy wants were written. */
function findSpoiledSources(steps: readonly PlacedStep[]): OrderViolation[] {
  const touched = new Map<ObjectKey, PlacedStep>();
  for (const placed of steps)
    if (!touched.has(targetOf(placed.step))) touched.set(targetOf(placed.step), placed);
  return steps.flatMap(({ step, turn }) => {
    const isOwn = step.do === "copy" && step.place === undefined && step.from !== step.to;
    const source = isOwn ? touched.get(step.from) : undefined;
    if (step.do !== "copy" || !source || source.turn > turn) return [];
    const isWanted = source.turn < turn && writtenHash(source.step) === step.storedHash;
    return isWanted ? [] : [violation("copy-source", step.from)];
  });
}

const writtenHash = (step: Step): string | undefined =>
  step.do === "send" ? step.parcel.storedHash : step.do === "copy" ? step.storedHash : undefined;

const roleOf = (step: Step): Role | undefined =>
  step.do === "send" ? step.parcel.role : step.do === "copy" ? step.role : undefined;

function isPage(step: Step): boolean {
  const role = roleOf(step);
  const headers = step.do === "send" ? step.parcel.headers : step.do === "copy" ? (step.headers ?? {}) : {};
  return role !== undefined && isPageLike(role) && isHtml({ headers });
}

function mapValues<K extends string, A, B>(record: Record<K, A>, change: (value: A) => B): Record<K, B> {
  return Object.fromEntries(Object.entries<A>(record).map(([key, value]) => [key, change(value)])) as Record<
    K,
    B
  >;
}

const violation = (invariant: OrderViolation["invariant"], key: string, edge?: string): OrderViolation => ({
  ...{ invariant, key },
  ...(edge !== undefined && { edge }),
});
