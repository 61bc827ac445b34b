import { OperatorError } from "../core/model/failure.ts";
import { selectByHand } from "../core/edges/hand-invalidation.ts";
import { toInvalidationResult } from "../results/invalidation.ts";
import type { InvalidateResult } from "../results/history.ts";
import type { UrlPath } from "../core/model/names.ts";
import type { EdgeInvalidation } from "../core/model/plan.ts";
import type { DestinationState, OwedInvalidation, Pointer, Waybill } from "../core/model/release.ts";
import { listOwed } from "../core/edges/owed.ts";
import { findRelease } from "../core/history/release-names.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import { toKeptPointer } from "../core/compare/key-state.ts";
import { switchPointer } from "../perform/record.ts";
import { withHold } from "./hold.ts";
import { readNamed } from "./named-release.ts";
import { ask, toRequests } from "./pay.ts";
import type { Place, Stay, Visit } from "./run.ts";

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
export async function invalidate(stay: Stay, options: InvalidateOptions): Promise<InvalidateResult> {
  const { place } = stay;
  const { store, destination } = place;
  if (place.edges.length === 0) throw new OperatorError("no-edge", { destination });
  const state = await readDestination(store, destination);
  const chosen = await selectAddresses(place, state, options);
  const planned = plan(place, state, chosen);
  if (options.dryRun || planned.length === 0) return toResult(place, planned, new Set(), options.dryRun);
  if (options.everything) await options.confirm?.();
  if (!options.owed) return toResult(place, planned, await ask(stay, planned), false);
  return withHold(stay, { work: "invalidate", queueSeconds: options.queueSeconds }, async () => {
    // What was owed may have been paid, or become more, until the destination was ours.
    const now = await readDestination(store, destination);
    const requests = plan(place, now, { ...chosen, owed: listOwed(now) });
    const confirmed = await ask(stay, requests);
    await strike(stay, now, confirmed);
    return toResult(place, requests, confirmed, false);
  });
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

function plan(place: Place, { waybill }: DestinationState, { byHand, owed }: Chosen): EdgeInvalidation[] {
  const answering = waybill ? [...waybill.parcels, ...waybill.standing] : [];
  const asked = place.edges.map(({ name }) => ({
    edge: name,
    addresses: [...byHand, ...owed.filter(({ edge }) => edge === name).flatMap(({ addresses }) => addresses)],
  }));
  return toRequests(place, asked, answering);
}

/** Takes out of the pointer what edges have confirmed. What a run that died owes is struck with its record, by the next delivery. */
async function strike(
  { run, place }: Visit,
  state: DestinationState,
  confirmed: ReadonlySet<string>,
): Promise<void> {
  const { pointer, pointerEtag, open = [] } = state;
  const left = pointer?.owed.filter(({ edge }) => !confirmed.has(edge));
  if (pointer && left && left.length < pointer.owed.length)
    await switchPointer(place.store, { ...toKeptPointer(pointer, state), owed: left }, pointerEtag);
  if (open.length > 0) run.report({ event: "warning", warning: { code: "open-record" } });
}

const toResult = (
  { site, destination }: Place,
  requests: readonly EdgeInvalidation[],
  confirmed: ReadonlySet<string>,
  dryRun: boolean,
): InvalidateResult => ({
  ...{ site, destination, dryRun },
  invalidation: toInvalidationResult(requests, { confirmed, dryRun, sparable: new Map() }),
});
