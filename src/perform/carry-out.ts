import { runPool } from "./pool.ts";
import { OperatorError } from "../core/failures.ts";
import type { ObjectKey } from "../core/model/names.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { CopyStep, RemoveStep, SendStep, Step, StepPhase } from "../core/model/plan.ts";
import { targetOf } from "../core/model/plan.ts";
import type { Clock } from "../ports/clock.ts";
import { StoreError, type Content, type ObjectStore, type Written } from "../ports/object-store.ts";
import type { Reporter } from "../ports/reporter.ts";

/**
 * Carries out the phases of a plan, group after group; the steps of a group run side by side. Decides nothing.
 *
 * Guaranteed: when it resolves, every step of the phase is confirmed by the store. When it throws, no step of a later
 * group was begun, and the same delivery can be made again.
 */
export interface PerformTools {
  readonly store: ObjectStore;
  readonly clock: Clock;
  readonly report: Reporter;
  /** The content of a file of the build. */
  readonly open: (parcel: Parcel) => Content;
  /** Steps side by side. */
  readonly width: number;
  /** How many writes were confirmed so far, for messages. */
  readonly progress: { written: number };
}

const REMOVE_BATCH = 1000;

/** @returns the ETag of each written object, by key */
export async function carryOut(phase: StepPhase, tools: PerformTools): Promise<Map<ObjectKey, string>> {
  const { clock, report } = tools;
  const steps = phase.groups.flatMap((group) => group.steps);
  const started = clock.monotonicMs();
  const bytes = steps.reduce((sum, step) => sum + (step.do === "send" ? step.parcel.size : 0), 0);
  report({ event: "phase", phase: phase.name, state: "started", steps: steps.length, bytes });
  const etags = new Map<ObjectKey, string>();
  for (const group of phase.groups) await carryOutGroup(phase, group.steps, etags, tools);
  const seconds = (clock.monotonicMs() - started) / 1000;
  report({ event: "phase", phase: phase.name, state: "ended", steps: steps.length, seconds });
  return etags;
}

async function carryOutGroup(
  phase: StepPhase,
  steps: readonly Step[],
  etags: Map<ObjectKey, string>,
  tools: PerformTools,
): Promise<void> {
  const done = (step: Step, bytes: number): void => {
    tools.progress.written += 1;
    tools.report({ event: "step", phase: phase.name, do: step.do, key: targetOf(step), bytes });
  };
  const writes = steps.filter((step) => step.do !== "remove");
  await runPool(writes, tools.width, async (step) => {
    const { etag } =
      step.do === "send"
        ? await send(step, tools)
        : await copy({ ...step, fromEtag: step.fromEtag ?? etags.get(step.from) }, tools);
    etags.set(targetOf(step), etag);
    done(step, step.do === "send" ? step.parcel.size : 0);
  });
  const removals = steps.filter((step): step is RemoveStep => step.do === "remove");
  for (let start = 0; start < removals.length; start += REMOVE_BATCH) {
    const batch = removals.slice(start, start + REMOVE_BATCH);
    await tools.store.remove(batch.map(({ key }) => key));
    for (const step of batch) done(step, 0);
  }
}

async function send(step: SendStep, { store, open }: PerformTools): Promise<Written> {
  const { key, headers } = step.parcel;
  try {
    return await store.put(key, open(step.parcel), headers);
  } catch (error) {
    // The store itself refused bytes that are no longer those of the scan.
    throw error instanceof StoreError && error.kind === "integrity"
      ? new OperatorError("build-changed", { path: key }, {}, error)
      : error;
  }
}

/** A copy whose source is pinned also where this very phase has just written it. */
type PinnedCopy = Omit<CopyStep, "fromEtag"> & { readonly fromEtag: string | undefined };

/** A copy is believed only when its ETag is its source's, or where that says nothing (multipart), its size is right. */
async function copy(step: PinnedCopy, { store }: PerformTools): Promise<Written> {
  const { from, fromEtag, to, headers, size } = step;
  const written = await store.copy({ key: from, etag: fromEtag }, to, headers);
  if (fromEtag !== undefined && written.etag === fromEtag) return written;
  const found = await store.head(to);
  if (found?.size !== size) throw new OperatorError("copy-differs", { from }, { to });
  return { etag: found.etag };
}
