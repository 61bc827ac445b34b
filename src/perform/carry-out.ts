import { createHash } from "node:crypto";
import { runPool } from "./pool.ts";
import { OperatorError } from "../core/failures.ts";
import type { ObjectKey } from "../core/model/names.ts";
import { hasSameHeaders, type Parcel } from "../core/model/parcel.ts";
import type { CopyStep, Expected, RemoveStep, SendStep, Step, StepPhase } from "../core/model/plan.ts";
import { targetOf } from "../core/model/plan.ts";
import type { Pace } from "../core/pace.ts";
import type { Clock } from "../ports/clock.ts";
import {
  StoreError,
  type Condition,
  type Content,
  type ObjectStore,
  type Written,
} from "../ports/object-store.ts";
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
  /** How many steps go side by side; learns from how they go. */
  readonly pace: Pace;
  /** Whether the store was seen to check conditions: then each write carries the state that it expects. */
  readonly hasConditions: boolean;
  /** Throws where a person has stopped the run: no step is begun after that. */
  readonly assertGoesOn: () => void;
  /** Asked before each batch of removals: throws where it is no longer this run's to clear. */
  readonly assertClearing?: ((phase: StepPhase) => Promise<void>) | undefined;
  /** The build's own file under a key, to be sent where a copy went wrong. */
  readonly findParcel: (key: ObjectKey) => Parcel | undefined;
  /** How many writes were confirmed so far, for messages. */
  readonly progress: { written: number };
}

const REMOVE_BATCH = 1000;

/**
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
    tools.progress.written += 1;
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
    await tools.store.remove(batch.map(({ key }) => key));
    for (const step of batch) done(step, 0);
  }
}

async function send(
  { parcel, to: key = parcel.key, expected }: Pick<SendStep, "parcel" | "to" | "expected">,
  { store, open, hasConditions }: PerformTools,
): Promise<Written> {
  const { headers } = parcel;
  try {
    return await store.put(key, open(parcel), headers, hasConditions ? toCondition(expected) : undefined);
  } catch (error) {
    if (!(error instanceof StoreError)) throw error;
    // The store itself refused bytes that are no longer those of the scan.
    if (error.kind === "integrity") throw new OperatorError("build-changed", { path: parcel.key }, {}, error);
    if (error.kind !== "precondition") throw error;
    const found = await findOwn(store, key, parcel);
    if (found) return found;
    throw new OperatorError("changed-meanwhile", { key }, {}, error);
  }
}

const toCondition = (expected: Expected): Condition =>
  expected === "absent" ? { ifAbsent: true } : { ifEtag: expected.etag };

/** A failed condition may be our own success whose answer was lost: what stands there tells. */
async function findOwn(
  store: ObjectStore,
  key: ObjectKey,
  { storedHash, headers }: Parcel,
): Promise<Written | undefined> {
  const found = await store.get(key);
  if (!found) return undefined;
  const sum = createHash("sha256");
  for await (const chunk of found.body) sum.update(chunk);
  const isOwn =
    sum.digest("hex") === storedHash && (!store.carriesHeaders || hasSameHeaders(found.headers, headers));
  return isOwn ? { etag: found.etag } : undefined;
}

/** A copy whose source is pinned also where this very phase has just written it. */
type PinnedCopy = Omit<CopyStep, "fromEtag"> & { readonly fromEtag: string | undefined };

/** A copy is believed only when its ETag is the expected one, or where that says nothing (multipart), its size is right. */
async function copy(step: PinnedCopy, tools: PerformTools): Promise<Written> {
  const { from, fromEtag, to, headers, size, freshEtag } = step;
  const { store, report } = tools;
  const written = await store
    .copy({ key: from, etag: fromEtag, size, freshEtag }, to, headers)
    .catch(async (error: unknown) => {
      if (!(error instanceof StoreError) || error.kind !== "precondition") throw error;
      const found = await findOwnCopy(step, store);
      if (found) return found;
      throw new OperatorError("changed-meanwhile", { key: from }, {}, error);
    });
  const isSame = written.etag === fromEtag;
  if (freshEtag && isSame) {
    const message = `${to} has a new type under an old ETag: caches that only ask whether it changed may keep the old type`;
    report({ event: "warning", code: "etag-kept", message });
  }
  if (fromEtag !== undefined && (isSame || written.etag === toOnePartEtag(fromEtag))) return written;
  const found = await store.head(to);
  if (found?.size === size) return { etag: found.etag };
  const parcel = tools.findParcel(to);
  if (parcel && found) return send({ parcel, expected: { etag: found.etag } }, tools);
  await store.remove([to]);
  throw new OperatorError("copy-differs", { from }, { to });
}

/** The same for a copy of an object onto itself: a try whose answer was lost has changed the very source. */
async function findOwnCopy(
  { from, fromEtag, to, headers, size }: PinnedCopy,
  store: ObjectStore,
): Promise<Written | undefined> {
  if (from !== to || fromEtag === undefined || headers === undefined) return undefined;
  const found = await store.head(to);
  const isOwn =
    found?.etag === toOnePartEtag(fromEtag) && found.size === size && hasSameHeaders(found.headers, headers);
  return isOwn ? { etag: found.etag } : undefined;
}

/** The ETag of the same bytes put together from one part: the MD5 of their MD5, and the number of parts. */
const toOnePartEtag = (etag: string): string =>
  `${createHash("md5").update(Buffer.from(etag, "hex")).digest("hex")}-1`;
