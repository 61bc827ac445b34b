import { toProvisionResult, type ProvisionResult } from "../results/provision.ts";
import {
  isSameStep,
  planProvision,
  type ByHand,
  type ProvisionPlan,
  type ProvisionStep,
  type ProvisionWishes,
} from "../core/bucket/provision.ts";
import { OperatorError } from "../core/model/failure.ts";
import { readBucket } from "../gather/read-bucket.ts";
import { carryOutProvision, findWrongReads, type ProvisionTools } from "../perform/provision.ts";
import type { Bucket } from "../ports/bucket.ts";
import {
  lookAtEdge,
  setUpEdge,
  waitUntilDeployed,
  type EdgeLook,
  type EdgeToProvision,
} from "./provision-edge.ts";
import type { DistributionByHand } from "../core/distribution/plan.ts";
import type { DistributionFacts } from "../core/model/distribution.ts";
import type { Visit } from "./run.ts";

export interface ProvisionOptions {
  readonly wishes: ProvisionWishes;
  /** The distribution that reads from the bucket; absent: none does. */
  readonly edge?: EdgeToProvision | undefined;
  readonly dryRun: boolean;
  /** Shows what would be changed and asks a person. Throws `answer-needed`, `answered-no`. */
  readonly confirm?: ((planned: ProvisionResult) => Promise<void>) | undefined;
}

/**
 * Makes a bucket, and the distribution before it, ready: looks, decides, asks, changes, tries, and looks again. Changes
 * nothing where all is as it should be.
 */
export async function provision(
  { run, place }: Visit,
  bucket: Bucket,
  { wishes: asked, edge, dryRun, confirm }: ProvisionOptions,
): Promise<ProvisionResult> {
  const { site, destination, store, tally } = place;
  const facts = { site, destination, endpoint: store.location.endpoint, ...asked };
  const look = edge && (await lookAtEdge(edge, run.clock));
  const wishes = { ...asked, distributions: nameThem(asked.distributions, edge, look) };
  const plan = planProvision(await readBucket(bucket), wishes);
  const planned = { ...facts, ...plan, edge: look };
  if (dryRun) return toProvisionResult({ ...planned, dryRun, isChecked: false });
  if (plan.steps.length > 0 || (look?.steps.length ?? 0) > 0)
    await confirm?.(toProvisionResult({ ...planned, dryRun: true, isChecked: false }));
  const tools = { bucket, store, clock: run.clock, run: run.name, readers: wishes.readers, tally };
  const work = new Work({ wishes, plan, look, edge }, tools);
  return toProvisionResult({ ...facts, dryRun, ...(await work.carryOut()) });
}

/** The ids of the settings, the first of them as it is known by now; empty where it is to be made. */
function nameThem(
  ids: readonly string[],
  edge: EdgeToProvision | undefined,
  look: EdgeLook | undefined,
): readonly string[] {
  if (!look || edge?.id !== "") return ids;
  const isToBe = look.facts !== undefined || look.steps.length > 0;
  return [...(isToBe ? [look.facts?.id ?? ""] : []), ...ids.slice(1)];
}

interface WorkFacts {
  readonly wishes: ProvisionWishes;
  readonly plan: ProvisionPlan;
  readonly look: EdgeLook | undefined;
  readonly edge: EdgeToProvision | undefined;
}

/** What was done. */
interface Done extends ProvisionPlan {
  readonly isChecked: boolean;
  readonly edge: Pick<EdgeLook, "steps" | "byHand" | "facts"> | undefined;
}

/** The changes of one call, in an order in which the site answers all the while. */
class Work {
  private readonly steps: ProvisionStep[] = [];
  private readonly byHand: ByHand[] = [];
  private readonly edgeByHand: DistributionByHand[] = [];
  private standing: DistributionFacts | undefined;
  private isChecked = false;

  constructor(
    private readonly facts: WorkFacts,
    private readonly tools: ProvisionTools,
  ) {}

  async carryOut(): Promise<Done> {
    const { plan, look, edge, wishes } = this.facts;
    const create = plan.steps.filter((step) => step.do === "create-bucket");
    if (create.length > 0) await this.changeBucket({ steps: create, byHand: [] });
    // Who lets more in does so before an edge reads by it; who shuts others out waits until no edge reads otherwise.
    if (wishes.readers === "public") {
      await this.finishBucket();
      await this.setUpEdge();
    } else {
      const isChanged = look?.facts !== undefined && Object.keys(look.changes).length > 0;
      await this.setUpEdge();
      if (isChanged) await this.waitForEdge();
      await this.finishBucket();
    }
    await this.waitForEdge();
    return {
      ...{ steps: this.steps, byHand: this.byHand, isChecked: this.isChecked },
      edge: edge && {
        steps: this.standing ? (look?.steps ?? []) : [],
        byHand: [...(look?.byHand ?? []), ...this.edgeByHand],
        facts: this.standing,
      },
    };
  }

  private async setUpEdge(): Promise<void> {
    const { edge, look } = this.facts;
    if (!edge || !look) return;
    const done = await setUpEdge(edge, look);
    this.standing = done?.facts;
    this.edgeByHand.push(...(done?.byHand ?? []));
  }

  private async waitForEdge(): Promise<void> {
    const { edge } = this.facts;
    if (edge && this.standing) this.standing = await waitUntilDeployed(edge, this.standing, this.tools.clock);
  }

  /** What is left to do at the bucket, the id of a new distribution known by now; tries who may read. */
  private async finishBucket(): Promise<void> {
    const { wishes, plan } = this.facts;
    const id = this.standing?.id;
    const isNew = id !== undefined && id !== wishes.distributions[0];
    const named = isNew ? { ...wishes, distributions: [id, ...wishes.distributions.slice(1)] } : wishes;
    const rest = isNew
      ? planProvision(await readBucket(this.tools.bucket), named)
      : { ...plan, steps: plan.steps.filter((step) => step.do !== "create-bucket") };
    this.byHand.push(...rest.byHand);
    if (rest.steps.length > 0) await this.changeBucket(rest, named);
    // What is left to a person may be just what decides who reads.
    else if (this.byHand.length === 0 && this.steps.length === 0) {
      const wrong = await findWrongReads(this.tools);
      if (wrong !== undefined) throw new OperatorError("provision-wrong", { wrong });
      this.isChecked = true;
    }
  }

  private async changeBucket({ steps }: ProvisionPlan, wishes = this.facts.wishes): Promise<void> {
    const { bucket } = this.tools;
    const left = await carryOutProvision(steps, this.tools);
    const done = steps.filter((step) => !left.has(step));
    const after = planProvision(await readBucket(bucket), wishes);
    const lost = after.steps.filter((step) => done.some((one) => isSameStep(one, step)));
    if (lost.length > 0) throw new OperatorError("provision-lost", { steps: lost });
    this.isChecked ||= done.some((step) => step.do === "set-policy" || step.do === "set-public-block");
    this.steps.push(...done);
    this.byHand.push(...left.values());
  }
}
