import { OperatorError } from "../core/model/failure.ts";
import { selectByHand } from "../core/edges/hand-invalidation.ts";
import { toInvalidationResult } from "../results/invalidation.ts";
import type { InvalidateResult } from "../results/history.ts";
import { selectHeldBack } from "../core/history/held-back.ts";
import type { ObjectKey, UrlPath } from "../core/model/names.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { DestinationState, OwedInvalidation, Pointer, Waybill } from "../core/model/release.ts";
import { isDebtOf, listOwed, selectOrphans, strikeConfirmed } from "../core/edges/owed.ts";
import { isTree } from "../core/edges/cover/cover.ts";
import { listAddresses } from "../core/addresses/addresses.ts";
import { takesWildcards } from "../core/model/edge.ts";
import type { EdgeOutcome } from "../core/model/edge-outcome.ts";
import { openAsking } from "./asking.ts";
import { findRelease } from "../core/history/release-names.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import { toKeptPointer } from "../core/compare/key-state.ts";
import { switchPointer } from "../perform/record.ts";
import { withHold } from "./hold.ts";
import { readNamed } from "./named-release.ts";
import { readLastWriteMs, selectAnswering, toRequests } from "./pay.ts";
import type { Place, Stay, Visit } from "./run.ts";

export interface InvalidateOptions {
  readonly patterns: readonly string[];
  /** What this release changed. */
  readonly release?: string | undefined;
  /** What edges owe from before. */
  readonly owed: boolean;
  readonly everything: boolean;
  /** Edges that no longer are: what they owe is struck, without asking anybody. */
  readonly gone?: readonly string[];
  readonly dryRun: boolean;
  readonly queueSeconds: number;
  /** Asks a person, where one is to be asked. */
  readonly confirm?: () => Promise<void>;
}

/**
 * Asks edges to forget what a person names. Writes nothing to the store, but for striking out what was owed; that happens
 * under the hold, so that nobody writes meanwhile what is being struck out.
 */
export async function invalidate(stay: Stay, options: InvalidateOptions): Promise<InvalidateResult> {
  const { place } = stay;
  const { store, destination, edges } = place;
  const { dryRun, owed, everything, queueSeconds, gone = [] } = options;
  if (edges.length === 0 && gone.length === 0) throw new OperatorError("no-edge", { destination });
  const state = await readDestination(store, destination);
  const chosen = await selectAddresses(place, state, options);
  assertReached(stay, state, chosen.byHand);
  const planned = plan(place, state, chosen);
  const keys = owed ? readHeldBack(state) : [];
  if (keys.length > 0) stay.run.report({ event: "warning", warning: { code: "held-back", keys } });
  const orphans = selectOrphans(chosen.owed, edges);
  assertGone(gone, selectOrphans(listOwed(state), edges));
  if (dryRun || (planned.length === 0 && orphans.length === 0 && gone.length === 0))
    return toResult(place, planned, { outcomes: [], orphans, dryRun });
  if (everything || gone.length > 0) await options.confirm?.();
  if (!owed && gone.length === 0)
    return toResult(place, planned, { outcomes: await ask(stay, state, planned), dryRun });
  return withHold(stay, { work: "invalidate", queueSeconds }, async () => {
    // What was owed may have been paid, or become more, until the destination was ours.
    const now = await readDestination(store, destination);
    const requests = plan(place, now, { ...chosen, owed: owed ? listOwed(now) : [] });
    const outcomes = requests.length > 0 ? await ask(stay, now, requests) : [];
    const isGone = (entry: OwedInvalidation): boolean => gone.includes(entry.edge);
    await strike(stay, now, (all) =>
      strikeConfirmed(all, owed ? outcomes : []).filter((entry) => !isGone(entry)),
    );
    const left = selectOrphans(listOwed(now), edges).filter((entry) => !isGone(entry));
    for (const { edge, addresses } of left)
      stay.run.report({
        event: "warning",
        warning: { code: "edge-gone", edge, addresses: addresses.length },
      });
    return toResult(place, requests, { outcomes, orphans: owed ? left : [], dryRun });
  });
}

/** Throws `no-such-debt` for what owes nothing, or can still be asked. */
function assertGone(gone: readonly string[], orphans: readonly OwedInvalidation[]): void {
  const names = orphans.map(({ edge }) => edge);
  const wrong = gone.find((edge) => !names.includes(edge));
  if (wrong !== undefined) throw new OperatorError("no-such-debt", { edge: wrong });
}

interface Chosen {
  /** What every edge is to forget. */
  readonly byHand: readonly UrlPath[];
  /** What single ones owe. */
  readonly owed: readonly OwedInvalidation[];
}

async function selectAddresses(
  { store, destination, siteRules }: Place,
  state: DestinationState,
  { patterns, release, owed, everything }: InvalidateOptions,
): Promise<Chosen> {
  const { pointer, waybill } = state;
  if (!pointer || !waybill) throw new OperatorError("nothing-delivered", { destination });
  const changed = release === undefined ? undefined : await readChanged(store, pointer, release);
  const wish = { patterns, everything, ...(changed ? { changed } : {}) };
  return { byHand: selectByHand(wish, waybill, siteRules.addressRules), owed: owed ? listOwed(state) : [] };
}

async function readChanged(
  store: Place["store"],
  pointer: Pointer,
  name: string,
): Promise<{ release: Waybill; before: Waybill | undefined }> {
  const release = await readNamed(store, pointer, name);
  const earlier = findRelease(String(release.previous), pointer);
  return { release, before: earlier && (await readWaybill(store, earlier)) };
}

function plan(place: Place, state: DestinationState, { byHand, owed }: Chosen): EdgeInvalidation[] {
  const { addressRules } = place.siteRules;
  // What is still to be written is asked for after that, by the delivery that writes it.
  const later = new Set(readHeldBack(state).flatMap((key) => listAddresses(key, addressRules)));
  const asked = place.edges.map((edge) => ({
    edge: edge.identity,
    addresses: [
      ...byHand,
      ...owed
        .filter((entry) => isDebtOf(entry, edge))
        .flatMap(({ addresses }) => addresses.filter((address) => !later.has(address))),
    ],
  }));
  return toRequests(place, asked, selectAnswering(state)).filter(({ patterns }) => patterns.length > 0);
}

const readHeldBack = ({ waybill, pointer }: DestinationState): ObjectKey[] =>
  waybill && pointer ? selectHeldBack(waybill, pointer) : [];

/** Trees that an edge can't be asked for are told, and what stands below them is asked for instead. Throws `no-match`. */
function assertReached(
  { run, place }: Visit,
  { waybill }: DestinationState,
  byHand: readonly UrlPath[],
): void {
  const trees = byHand.filter(isTree);
  const deaf = place.edges.filter(({ abilities }) => !takesWildcards(abilities));
  const { addressRules } = place.siteRules;
  const known = (waybill?.parcels ?? []).flatMap(({ key }) => listAddresses(key, addressRules));
  const answering = [...new Set(known)];
  for (const tree of deaf.length > 0 ? trees : []) {
    const below = answering.filter((address) => address.startsWith(tree.slice(0, -1))).length;
    if (below === 0) throw new OperatorError("no-match", { glob: tree, release: waybill?.release ?? 0 });
    for (const { name: edge } of deaf)
      run.report({ event: "warning", warning: { code: "no-patterns", edge, tree, below } });
  }
}

const ask = (visit: Visit, state: DestinationState, requests: readonly EdgeInvalidation[]) =>
  openAsking(visit, { ...{ parcels: selectAnswering(state), state, edgeRules: state.waybill?.edgeRules } })({
    ...{ phase: "invalidate", requests, pending: new Set(readHeldBack(state)) },
    lastWriteMs: readLastWriteMs(state, visit.run.clock),
  });

/** Takes out of the pointer what edges have confirmed. What a run that died owes is struck with its record, by the next delivery. */
async function strike(
  { run, place }: Visit,
  state: DestinationState,
  owed: (owed: readonly OwedInvalidation[]) => readonly OwedInvalidation[],
): Promise<void> {
  const { pointer, pointerEtag, open = [] } = state;
  const left = owed(pointer?.owed ?? []);
  if (pointer && JSON.stringify(left) !== JSON.stringify(pointer.owed))
    await switchPointer(place.store, { ...toKeptPointer(pointer, state), owed: left }, pointerEtag);
  if (open.length > 0) run.report({ event: "warning", warning: { code: "open-record" } });
}

function toResult(
  { site, destination }: Place,
  requests: readonly EdgeInvalidation[],
  { outcomes, orphans = [], dryRun }: Come,
): InvalidateResult {
  const facts = { outcomes, orphans, dryRun, sparable: new Map() };
  return { ...{ site, destination, dryRun }, invalidation: toInvalidationResult(requests, facts) };
}

/** What came of it. */
interface Come {
  readonly outcomes: readonly EdgeOutcome[];
  readonly orphans?: readonly OwedInvalidation[];
  readonly dryRun: boolean;
}
