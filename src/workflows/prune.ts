import { OperatorError } from "../core/failures.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { OwedInvalidation, Waybill } from "../core/model/release.ts";
import {
  decidePrune,
  findContentsOf,
  toPrunePhase,
  withoutStale,
  type PruneDecision,
  type PruneFacts,
} from "../core/prune.ts";
import { selectRetained } from "../core/retention.ts";
import { selectOwed } from "../core/stale-addresses.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import { carryOut } from "../perform/carry-out.ts";
import { toConditions, type PerformTools } from "../perform/perform-tools.ts";
import { askEdges } from "../perform/invalidate.ts";
import { switchPointer } from "../perform/record.ts";
import type { Delivery } from "./delivery.ts";
import { withHold } from "./run-release.ts";

export interface PruneOptions {
  readonly dryRun: boolean;
  readonly foreign: boolean;
  /** Paths or addresses whose contents go for good. */
  readonly forget: readonly string[];
  readonly queueSeconds: number;
  /** Asks a person, where one is to be asked. */
  readonly confirm?: (decision: PruneDecision) => Promise<void>;
  readonly progress: { written: number };
}

export interface PruneOutcome {
  readonly decision: PruneDecision;
  /** Addresses that edges have not confirmed. */
  readonly owed: readonly string[];
}

/**
 * Removes what retention no longer needs: decide → hold → decide again → pay what edges owe → pointer → remove →
 * invalidate → pointer. The pointer goes first, so that no release is ever offered whose contents are gone; assets go only
 * when every edge has confirmed. *Fail:* some objects are left; the same call removes them. Throws `record-unreadable`
 * where a retained record can't be read: nothing is removed then.
 */
export async function prune(delivery: Delivery, options: PruneOptions): Promise<PruneOutcome> {
  const planned = await plan(delivery, options);
  const owes = planned.decision.pointer.owed.some(({ addresses }) => addresses.length > 0);
  if ((planned.decision.removals.length === 0 && !owes) || options.dryRun)
    return { decision: planned.decision, owed: addressesOf(planned.state.pointer?.owed ?? []) };
  await options.confirm?.(planned.decision);
  return withHold(delivery, { work: "prune", queueSeconds: options.queueSeconds }, async (hold) => {
    const { decision: decided, state } = await plan(delivery, options);
    const { store, clock, report, pace, interruption } = delivery;
    const answering = state.waybill?.parcels ?? [];
    const before = await pay(delivery, state.pointer?.owed ?? [], answering);
    const decision = before.isConfirmed ? decided : withoutStale(decided);
    // What is about to become wrong is written down before it can (O9).
    const pointer = { ...decision.pointer, owed: [...before.left, ...decision.owed] };
    const { etag } = await switchPointer(store, pointer, state.pointerEtag);
    const phase = toPrunePhase(decision);
    const tools: PerformTools = {
      ...{ store, clock, report, pace, progress: options.progress },
      conditions: toConditions(hold.hasConditions),
      open: () => {
        throw new Error("nothing is sent");
      },
      assertGoesOn: () => {
        interruption.assertGoesOn();
      },
      findParcel: () => undefined,
    };
    if (phase.groups.length > 0) await carryOut(phase, tools);
    if (decision.owed.length === 0) return { decision, owed: addressesOf(before.left) };
    const { left } = await pay(delivery, pointer.owed, answering);
    await switchPointer(store, { ...pointer, owed: left }, etag);
    return { decision, owed: addressesOf(left) };
  });
}

const addressesOf = (owed: readonly OwedInvalidation[]): string[] => [
  ...new Set(owed.flatMap(({ addresses }) => addresses)),
];

/** Asks edges for what they owe. @returns what stays owed, and whether every edge of the settings has confirmed */
async function pay(
  delivery: Delivery,
  owed: readonly OwedInvalidation[],
  answering: readonly Parcel[],
): Promise<{ readonly left: readonly OwedInvalidation[]; readonly isConfirmed: boolean }> {
  const { edges, target } = delivery;
  const { addresses } = target;
  const needs = edges.map(({ name, abilities }) => ({ name, ...abilities }));
  const asked = selectOwed(owed, needs, { addresses, answering });
  const confirmed = await delivery.interruption.orStop(askEdges(delivery, "invalidate", asked));
  return {
    left: owed.filter(({ edge }) => !confirmed.has(edge)),
    isConfirmed: asked.every(({ edge }) => confirmed.has(edge)),
  };
}

async function plan(
  delivery: Delivery,
  { foreign, forget }: PruneOptions,
): Promise<{ decision: PruneDecision; state: PruneFacts["state"] }> {
  const { store, target, edges } = delivery;
  const { destination, retention, addresses } = target;
  const state = await readDestination(store, destination);
  const { pointer, waybill: current } = state;
  if (!pointer || !current) throw new OperatorError("nothing-delivered", { destination });
  const [unreadable] = state.unreadable ?? [];
  if (unreadable !== undefined)
    throw new OperatorError("record-unreadable", { key: unreadable, cause: "a run that died left it so" });
  const stays = selectRetained(state, pointer.release, retention).filter(({ run }) => run !== current.run);
  const older = await Promise.all(stays.map((release) => readWaybill(store, release)));
  const facts = { state, pointer, current, older, retention, addresses, edges, foreign };
  return { decision: decidePrune({ ...facts, forget: findForgotten(forget, [current, ...older]) }), state };
}

function findForgotten(paths: readonly string[], waybills: readonly Waybill[]): Set<Sha256> {
  const all = paths.map((path) => {
    const contents = findContentsOf(path, waybills);
    if (contents.size === 0) throw new OperatorError("no-such-content", { path });
    return [...contents];
  });
  return new Set(all.flat());
}
