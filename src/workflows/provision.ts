import type { ProvisionResult } from "../results/provision.ts";
import {
  isSameStep,
  planProvision,
  type ProvisionPlan,
  type ProvisionWishes,
} from "../core/bucket/provision.ts";
import { OperatorError } from "../core/model/failure.ts";
import { readBucket } from "../gather/read-bucket.ts";
import { carryOutProvision, findWrongReads } from "../perform/provision.ts";
import { showChecked, wordsOfByHand, wordsOfStep } from "../words/provision.ts";
import type { Bucket } from "../ports/bucket.ts";
import type { Place, Visit } from "./run.ts";

export interface ProvisionOptions {
  readonly wishes: ProvisionWishes;
  readonly dryRun: boolean;
  /** Shows what would be changed and asks a person. Throws `answer-needed`, `answered-no`. */
  readonly confirm?: ((planned: ProvisionResult) => Promise<void>) | undefined;
}

/** Makes a bucket ready: looks, decides, asks, changes, tries, and looks again. Changes nothing where all is as it should be. */
export async function provision(
  { run, place }: Visit,
  bucket: Bucket,
  { wishes, dryRun, confirm }: ProvisionOptions,
): Promise<ProvisionResult> {
  const { store, tally } = place;
  const facts = await readBucket(bucket);
  const plan = planProvision(facts, wishes);
  const tools = { bucket, store, clock: run.clock, run: run.name, readers: wishes.readers, tally };
  if (dryRun) return toResult(place, wishes, plan, { dryRun, checked: [] });
  // What is left to a person may be just what decides who reads.
  if (plan.steps.length === 0 && plan.byHand.length > 0)
    return toResult(place, wishes, plan, { dryRun, checked: [] });
  if (plan.steps.length === 0) {
    const wrong = await findWrongReads(tools);
    if (wrong !== undefined) throw new OperatorError("provision-wrong", { wrong });
    return toResult(place, wishes, plan, { dryRun, checked: showChecked(wishes.readers) });
  }
  await confirm?.(toResult(place, wishes, plan, { dryRun: true, checked: [] }));
  const left = await carryOutProvision(plan.steps, tools);
  const done = plan.steps.filter((step) => !left.has(step));
  const after = planProvision(await readBucket(bucket), wishes);
  const lost = after.steps.filter((step) => done.some((one) => isSameStep(one, step)));
  if (lost.length > 0) throw new OperatorError("provision-lost", { steps: lost });
  const hasPolicy = done.some((step) => step.do === "set-policy" || step.do === "set-public-block");
  const byHand = [...plan.byHand, ...left.values()];
  const checked = hasPolicy ? showChecked(wishes.readers) : [];
  return toResult(place, wishes, { steps: done, byHand }, { dryRun, checked });
}

const toResult = (
  { site, destination, store }: Place,
  { readers, bucket }: ProvisionWishes,
  { steps, byHand }: ProvisionPlan,
  { dryRun, checked }: Pick<ProvisionResult, "dryRun" | "checked">,
): ProvisionResult => ({
  site,
  destination,
  bucket,
  endpoint: store.location.endpoint,
  readers,
  dryRun,
  steps: steps.map((step) => ({ do: step.do, ...wordsOfStep(step) })),
  byHand: byHand.map(wordsOfByHand),
  checked: [...checked],
});
