import { OperatorError } from "../core/model/failure.ts";
import { assertNever, STATE_PREFIX } from "../core/model/names.ts";
import type { Readers } from "../core/bucket/policies.ts";
import {
  isUnknown,
  judgeReads,
  saysWhoReads,
  type ByHand,
  type ProvisionStep,
  type WrongRead,
} from "../core/bucket/provision.ts";
import type { Bucket } from "../ports/bucket.ts";
import type { Clock } from "../ports/clock.ts";
import { StoreError, type ObjectStore, type RequestTally } from "../ports/object-store.ts";
import { toContent } from "./record.ts";

export interface ProvisionTools {
  readonly bucket: Bucket;
  readonly store: ObjectStore;
  readonly clock: Clock;
  readonly run: string;
  readonly readers: Readers;
  /** Changes of the bucket are counted as writes. */
  readonly tally: Pick<RequestTally, "written">;
}

/**
 * Changes a bucket, step by step, and tries it after each one that says who may read: one read by this identity, one by
 * nobody in particular.
 *
 * *Fail:* steps that were done stay; the same call goes on from there. A policy under which either read is not as it
 * should be is taken back, the one before stands again, and the call fails; a block of public access that shuts out more
 * than the public is taken back and left to a person.
 * @returns what the store turned out not to know, or not to bear, with the step
 */
export async function carryOutProvision(
  steps: readonly ProvisionStep[],
  tools: ProvisionTools,
): Promise<ReadonlyMap<ProvisionStep, ByHand>> {
  const left = new Map<ProvisionStep, ByHand>();
  for (const step of steps) {
    try {
      await change(step, tools.bucket);
      tools.tally.written += 1;
    } catch (error) {
      if (!(error instanceof StoreError) || !isUnknown(step, error.kind)) throw error;
      const { status, code = "" } = error.facts;
      const answer = `${status ?? ""} ${code}`.trim();
      left.set(step, { code: "refused", step, answer, ...(status !== undefined && { status }) });
      continue;
    }
    const wrong = saysWhoReads(step, tools.readers) ? await findWrongReads(tools) : undefined;
    if (wrong === undefined) continue;
    await takeBack(step, tools.bucket);
    await removeProbes(tools);
    if (step.do === "set-policy") throw new OperatorError("policy-taken-back", { wrong });
    left.set(step, { code: "taken-back", step, wrong });
  }
  return left;
}

async function change(step: ProvisionStep, bucket: Bucket): Promise<void> {
  switch (step.do) {
    case "create-bucket":
      return bucket.create();
    case "set-public-block":
      return bucket.writePublicBlock(step.block);
    case "set-policy":
      return bucket.writePolicy(step.policy);
    case "set-website":
      return bucket.writeWebsite(step.website);
    case "keep-versions":
      return bucket.keepVersions();
    case "set-tags":
      return bucket.writeTags(step.tags);
    default:
      return assertNever(step);
  }
}

const NO_BLOCK = { newLists: false, lists: false, newPolicies: false, policies: false };

async function takeBack(step: ProvisionStep, bucket: Bucket): Promise<void> {
  if (step.do === "set-policy") await bucket.writePolicy(step.before);
  if (step.do === "set-public-block") await bucket.writePublicBlock(step.before ?? NO_BLOCK);
}

/** A policy may take a moment until it counts. */
const PATIENCE_MS = 10_000;
const LOOK_MS = 500;

/** What is read otherwise than it should be; undefined: all is right. Two small objects come and go. */
export async function findWrongReads(tools: ProvisionTools): Promise<WrongRead | undefined> {
  const { store, clock, run } = tools;
  const content = toContent(Buffer.from(`a probe of ${run}\n`));
  const headers = { "content-type": "text/plain; charset=utf-8", "cache-control": "no-store" };
  const until = clock.monotonicMs() + PATIENCE_MS;
  try {
    for (const key of Object.values(toKeys(run))) await store.put(key, content, headers);
    for (;;) {
      const wrong = await lookOnce(tools);
      if (wrong === undefined || clock.monotonicMs() > until) return wrong;
      await clock.sleep(LOOK_MS);
    }
  } catch (error) {
    if (error instanceof StoreError && error.kind === "denied") return { code: "may-not-write" };
    throw error;
  } finally {
    await removeProbes(tools);
  }
}

const toKeys = (run: string): { readonly open: string; readonly own: string } => ({
  open: `courier-probe-${run.slice(-8)}.txt`,
  own: `${STATE_PREFIX}probe-${run.slice(-8)}.txt`,
});

const removeProbes = ({ store, run }: ProvisionTools): Promise<void> =>
  store.remove(Object.values(toKeys(run))).then(
    () => undefined,
    () => undefined,
  );

async function lookOnce({ store, readers, run }: ProvisionTools): Promise<WrongRead | undefined> {
  const { open, own } = toKeys(run);
  for (const key of [open, own]) if ((await store.head(key)) === undefined) return { code: "not-found", key };
  const [isOwnOpen, isOpen] = [await store.isPublic(own), await store.isPublic(open)];
  return judgeReads({ isOwnOpen, isOpen }, readers);
}
