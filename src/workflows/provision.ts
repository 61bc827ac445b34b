import { toProvisionResult, type ProvisionResult } from "../results/provision.ts";
import {
  isSameStep,
  planProvision,
  type ProvisionPlan,
  type ProvisionWishes,
} from "../core/bucket/provision.ts";
import { OperatorError } from "../core/model/failure.ts";
import { readBucket } from "../gather/read-bucket.ts";
import { carryOutProvision, findWrongReads } from "../perform/provision.ts";
import type { Bucket } from "../ports/bucket.ts";
import type { Visit } from "./run.ts";

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
  const { site, destination, store, tally } = place;
  const { endpoint } = store.location;
  const toResult = (
    done: ProvisionPlan,
    tried: { readonly dryRun: boolean; readonly isChecked: boolean },
  ): ProvisionResult => toProvisionResult({ site, destination, endpoint, ...wishes, ...done, ...tried });
  const facts = await readBucket(bucket);
  const plan = planProvision(facts, wishes);
  const tools = { bucket, store, clock: run.clock, run: run.name, readers: wishes.readers, tally };
  if (dryRun) return toResult(plan, { dryRun, isChecked: false });
  // What is left to a person may be just what decides who reads.
  if (plan.steps.length === 0 && plan.byHand.length > 0) return toResult(plan, { dryRun, isChecked: false });
  if (plan.steps.length === 0) {
    const wrong = await findWrongReads(tools);
    if (wrong !== undefined) throw new OperatorError("provision-wrong", { wrong });
    return toResult(plan, { dryRun, isChecked: true });
  }
  await confirm?.(toResult(plan, { dryRun: true, isChecked: false }));
  const left = await carryOutProvision(plan.steps, tools);
  const done = plan.steps.filter((step) => !left.has(step));
  const after = planProvision(await readBucket(bucket), wishes);
  const lost = after.steps.filter((step) => done.some((one) => isSameStep(one, step)));
  if (lost.length > 0) throw new OperatorError("provision-lost", { steps: lost });
  const hasPolicy = done.some((step) => step.do === "set-policy" || step.do === "set-public-block");
  const byHand = [...plan.byHand, ...left.values()];
  return toResult({ steps: done, byHand }, { dryRun, isChecked: hasPolicy });
}
