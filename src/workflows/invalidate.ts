import { OperatorError } from "../core/model/failure.ts";
import { selectByHand } from "../core/edges/hand-invalidation.ts";
import { toInvalidationResult } from "../results/invalidation.ts";
import type { InvalidateResult } from "../results/history.ts";
import type { UrlPath } from "../core/model/names.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { DestinationState, OwedInvalidation, Pointer, Waybill } from "../core/model/release.ts";
import { listOwed } from "../core/edges/owed.ts";
import { findRelease, listReleaseNames } from "../core/history/release-names.ts";
import { selectOwed } from "../core/edges/stale-addresses.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import { toKeptPointer } from "../core/compare/standing.ts";
import { askEdges } from "../perform/invalidate.ts";
import { switchPointer } from "../perform/record.ts";
import type { Delivery } from "./delivery.ts";
import { withHold } from "./run-release.ts";

export interface InvalidateOptions {
  readonly patterns: readonly string[];
  /** What this release changed. */
  readonly release?: string | undefined;
  /** What edges owe from before. */
  readonly owed: boolean;
  readonly everything: boolean;
  readonly dryRun: boolean;
  readonly queueSeconds: number;
  /** Asks a person, where one is to be asked. */
  readonly confirm?: () => Promise<void>;
}

/**
 * Asks edges to forget what a person names. Writes nothing to the store, but for striking out what was owed; that happens
 * under the hold, so that nobody writes meanwhile what is being struck out.
 */
export async function invalidate(delivery: Delivery, options: InvalidateOptions): Promise<InvalidateResult> {
  const { destination } = delivery.target;
  if (delivery.edges.length === 0) throw new OperatorError("no-edge", { destination });
  const state = await readDestination(delivery.store, destination);
  const wanted = await selectAddresses(delivery, state, options);
  const planned = toRequests(delivery, state, wanted);
  if (options.dryRun || planned.length === 0) return toResult(delivery, planned, new Set(), options.dryRun);
  if (options.everything) await options.confirm?.();
  if (!options.owed) return toResult(delivery, planned, await ask(delivery, planned), false);
  return withHold(delivery, { work: "invalidate", queueSeconds: options.queueSeconds }, async () => {
    // What was owed may have been paid, or become more, until the destination was ours.
    const now = await readDestination(delivery.store, destination);
    const requests = toRequests(delivery, now, { ...wanted, owed: listOwed(now) });
    const confirmed = await ask(delivery, requests);
    await strike(delivery, now, confirmed);
    return toResult(delivery, requests, confirmed, false);
  });
}

interface Wanted {
  /** What every edge is to forget. */
  readonly byHand: readonly UrlPath[];
  /** What single ones owe. */
  readonly owed: readonly OwedInvalidation[];
}

async function selectAddresses(
  { store, target }: Delivery,
  state: DestinationState,
  { patterns, release, owed, everything }: InvalidateOptions,
): Promise<Wanted> {
  const { pointer, waybill } = state;
  if (!pointer || !waybill) throw new OperatorError("nothing-delivered", { destination: target.destination });
  const changed = release === undefined ? undefined : await readChanged(store, pointer, release);
  const wish = { patterns, everything, ...(changed ? { changed } : {}) };
  return { byHand: selectByHand(wish, waybill, target.addresses), owed: owed ? listOwed(state) : [] };
}

async function readChanged(
  store: Delivery["store"],
  pointer: Pointer,
  name: string,
): Promise<{ release: Waybill; before: Waybill | undefined }> {
  const found = findRelease(name, pointer);
  if (!found) throw new OperatorError("no-such-release", { name, names: listReleaseNames(pointer) });
  const release = await readWaybill(store, found);
  const earlier = findRelease(String(release.previous), pointer);
  return { release, before: earlier && (await readWaybill(store, earlier)) };
}

function toRequests(
  { edges, target }: Delivery,
  { waybill }: DestinationState,
  wanted: Wanted,
): EdgeInvalidation[] {
  const answering = waybill ? [...waybill.parcels, ...waybill.standing] : [];
  const asked = edges.map(({ name }) => ({
    edge: name,
    addresses: [
      ...wanted.byHand,
      ...wanted.owed.filter(({ edge }) => edge === name).flatMap(({ addresses }) => addresses),
    ],
  }));
  const needs = edges.map(({ name, abilities }) => ({ name, ...abilities }));
  return selectOwed(asked, needs, { answering, addresses: target.addresses });
}

const ask = (delivery: Delivery, requests: readonly EdgeInvalidation[]): Promise<Set<string>> =>
  delivery.interruption.orStop(askEdges(delivery, "invalidate", requests));

/** Takes out of the pointer what edges have confirmed. What a run that died owes is struck with its record, by the next delivery. */
async function strike(
  { store, report }: Delivery,
  state: DestinationState,
  confirmed: ReadonlySet<string>,
): Promise<void> {
  const { pointer, pointerEtag, open = [] } = state;
  const left = pointer?.owed.filter(({ edge }) => !confirmed.has(edge));
  if (pointer && left && left.length < pointer.owed.length)
    await switchPointer(store, { ...toKeptPointer(pointer, state), owed: left }, pointerEtag);
  if (open.length > 0) report({ event: "warning", warning: { code: "open-record" } });
}

const toResult = (
  { target }: Delivery,
  requests: readonly EdgeInvalidation[],
  confirmed: ReadonlySet<string>,
  dryRun: boolean,
): InvalidateResult => ({
  site: target.site,
  destination: target.destination,
  dryRun,
  invalidation: toInvalidationResult(requests, { confirmed, dryRun, sparable: new Map() }),
});
