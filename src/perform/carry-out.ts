import { runPool } from "../core/delivery/pool.ts";
import { OperatorError } from "../core/model/failure.ts";
import { copy } from "./copy.ts";
import { send } from "./send.ts";
import type { PerformTools } from "./perform-tools.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { RemoveStep, Step, StepPhase } from "../core/model/plan.ts";
import { targetOf } from "../core/model/plan.ts";

const REMOVE_BATCH = 1000;

/**
 * Carries out the phases of a plan, group after group; the steps of a group run side by side. Decides nothing.
 *
 * Guaranteed: when it resolves, every step of the phase is confirmed by the store. When it throws, no step of a later
 * group was begun, and the same delivery can be made again.
 * @param earlier the ETags of what phases before this one have written, by key: copies of that are pinned to them
 * @returns the ETag of each written object, by key
 */
export async function carryOut(
  phase: StepPhase,
  tools: PerformTools,
  earlier: ReadonlyMap<ObjectKey, string> = new Map(),
): Promise<Map<ObjectKey, string>> {
  const { clock, report } = tools;
  const steps = phase.groups.flatMap((group) => group.steps);
  const started = clock.monotonicMs();
  const bytes = steps.reduce((sum, step) => sum + (step.do === "send" ? step.parcel.size : 0), 0);
  report({ event: "phase", phase: phase.name, state: "started", steps: steps.length, bytes });
  const etags = new Map<ObjectKey, string>();
  for (const group of phase.groups) await carryOutGroup(phase, group.steps, { etags, earlier }, tools);
  const seconds = (clock.monotonicMs() - started) / 1000;
  report({ event: "phase", phase: phase.name, state: "ended", steps: steps.length, seconds });
  return etags;
}

async function carryOutGroup(
  phase: StepPhase,
  steps: readonly Step[],
  {
    etags,
    earlier,
  }: { readonly etags: Map<ObjectKey, string>; readonly earlier: ReadonlyMap<ObjectKey, string> },
  tools: PerformTools,
): Promise<void> {
  const done = (step: Step, bytes: number): void => {
    tools.report({ event: "step", phase: phase.name, do: step.do, key: targetOf(step), bytes });
  };
  const find = (key: ObjectKey): string | undefined => etags.get(key) ?? earlier.get(key);
  const writes = steps.filter((step) => step.do !== "remove");
  const widthOf = (): number => tools.pace.width;
  await runPool(writes, widthOf, async (step) => {
    tools.assertGoesOn();
    const { etag } =
      step.do === "send"
        ? await send(step, tools)
        : await copy({ ...step, fromEtag: step.fromEtag ?? find(step.from) }, tools);
    tools.pace.noteDone(tools.clock.monotonicMs());
    etags.set(targetOf(step), etag);
    done(step, step.do === "send" ? step.parcel.size : 0);
  });
  const removals = steps.filter((step): step is RemoveStep => step.do === "remove");
  for (let start = 0; start < removals.length; start += REMOVE_BATCH) {
    const batch = removals.slice(start, start + REMOVE_BATCH);
    tools.assertGoesOn();
    await tools.assertClearing?.(phase);
    for (const step of await remove(batch, phase, tools)) done(step, 0);
  }
}

/** @returns the steps whose objects are gone */
async function remove(
  batch: readonly RemoveStep[],
  phase: StepPhase,
  { store, conditions, report, noteLeft }: PerformTools,
): Promise<readonly RemoveStep[]> {
  const expected = new Map(batch.map(({ key, etag }) => [key, etag]));
  const keys = [...expected.keys()];
  const left = await store.remove(keys, conditions.removals ? expected : undefined);
  const changed = new Set<ObjectKey>();
  for (const key of left) {
    const found = await store.head(key);
    if (found && found.etag !== expected.get(key)) changed.add(key);
    // Refused although nothing has changed: this store compares in a way of its own.
    else if (found) conditions.removals = false;
  }
  if (!conditions.removals && left.length > 0) await store.remove(left.filter((key) => !changed.has(key)));
  for (const key of changed) {
    if (phase.name !== "clear") throw new OperatorError("changed-meanwhile", { key });
    noteLeft?.(key);
    report({ event: "warning", warning: { code: "left", key } });
  }
  return batch.filter(({ key }) => !changed.has(key));
}
