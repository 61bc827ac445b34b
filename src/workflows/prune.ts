import { OperatorError } from "../core/failures.ts";
import type { Sha256 } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { Waybill } from "../core/model/release.ts";
import {
  decidePrune,
  findContentsOf,
  toPrunePhase,
  type PruneDecision,
  type PruneFacts,
} from "../core/prune.ts";
import { selectRetained } from "../core/retention.ts";
import { selectOwed } from "../core/stale-addresses.ts";
import { readDestination, readWaybill } from "../gather/read-destination.ts";
import { carryOut } from "../perform/carry-out.ts";
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
 * Removes what retention no longer needs: decide → hold → decide again → pointer → remove → invalidate → pointer.
 * The pointer goes first, so that no release is ever offered whose contents are gone. *Fail:* some objects are left; the
 * same call removes them. Throws `record-unreadable` where a retained record can't be read: nothing is removed then.
 */
export async function prune(delivery: Delivery, options: PruneOptions): Promise<PruneOutcome> {
  const planned = await plan(delivery, options);
  if (planned.decision.removals.length === 0 || options.dryRun)
    return { decision: planned.decision, owed: [] };
  await options.confirm?.(planned.decision);
  return withHold(delivery, { work: "prune", queueSeconds: options.queueSeconds }, async (hold) => {
    const { decision, state } = await plan(delivery, options);
    const { store, clock, report, pace, interruption } = delivery;
    const { etag } = await switchPointer(store, decision.pointer, state.pointerEtag);
    await carryOut(toPrunePhase(decision), {
      ...{ store, clock, report, pace, progress: options.progress },
      hasConditions: hold.hasConditions,
      open: () => {
        throw new Error("nothing is sent");
      },
      assertGoesOn: () => {
        interruption.assertGoesOn();
      },
      findParcel: () => undefined,
    });
    const owed = await settle(delivery, decision, { etag, answering: state.waybill?.parcels ?? [] });
    return { decision, owed };
  });
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

/** Asks edges for what answers no more, and strikes what they confirm. @returns what stays owed */
async function settle(
  delivery: Delivery,
  { owed, pointer }: PruneDecision,
  { etag, answering }: { readonly etag: string; readonly answering: readonly Parcel[] },
): Promise<string[]> {
  if (owed.length === 0) return [];
  const { store, edges, target } = delivery;
  const needs = edges.map(({ name, abilities }) => ({ name, ...abilities }));
  const { addresses } = target;
  const asked = selectOwed(pointer.owed, needs, { addresses, answering });
  const confirmed = await delivery.interruption.orStop(askEdges(delivery, "invalidate", asked));
  const left = pointer.owed.filter(({ edge }) => !confirmed.has(edge));
  await switchPointer(store, { ...pointer, owed: left }, etag);
  return left.flatMap(({ addresses }) => addresses);
}
