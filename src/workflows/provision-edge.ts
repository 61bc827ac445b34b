import {
  planDistribution,
  toHabits,
  type DistributionByHand,
  type DistributionPlan,
  type DistributionStep,
  type DistributionWishes,
  type KnownHabits,
} from "../core/distribution/plan.ts";
import type { DistributionFacts } from "../core/model/distribution.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Clock } from "../ports/clock.ts";
import { explainControl } from "../perform/explain-control.ts";
import { ControlError, type DistributionControl } from "../ports/distribution.ts";

/** What is written down of a distribution, as far as nobody has said it. */
export interface KnownOfEdge extends KnownHabits {
  readonly id: string;
  readonly function: string | undefined;
  readonly headersPolicy: string | undefined;
  readonly domain: string;
}

/** The settings that can be completed. */
export interface UnsaidSettings {
  readonly file: string;
  /** Names of settings that are not said. */
  readonly names: readonly string[];
  /** Writes them down. @returns why it could not be done, and what should be written */
  write(known: KnownOfEdge): { readonly why: string; readonly lines: readonly string[] } | undefined;
}

/** The distribution before the store. */
export interface EdgeToProvision {
  readonly control: DistributionControl;
  /** Empty: it is not made yet. */
  readonly id: string;
  readonly wishes: DistributionWishes;
  /** Says at the distribution whose it is. */
  readonly mark: string;
  readonly settings: UnsaidSettings;
  /** Seconds until it counts as not deployed. */
  readonly deployedWithin: number;
  /** Is told while its deployment is waited for. */
  readonly onWait: (seconds: number) => void;
}

/** How a distribution stands, and what has to be changed. */
export interface EdgeLook extends DistributionPlan {
  /** Absent: it is not made yet. */
  readonly facts?: DistributionFacts | undefined;
}

/**
 * Reads a distribution and plans. One that this identity may not look at, or that is out of reach, is left to a person, and
 * no reason to leave the bucket as it is. Throws `distribution-unknown`, and as `explained` does.
 */
export async function lookAtEdge(edge: EdgeToProvision, clock: Pick<Clock, "now">): Promise<EdgeLook> {
  try {
    return await explainControl(edge.id, () => readAndPlan(edge, clock));
  } catch (error) {
    const { cause } = error as Error;
    if (edge.id === "" || !(cause instanceof ControlError)) throw error;
    const { action, failure } = cause;
    const isSilent = failure.kind === "other" && failure.status === undefined;
    if (failure.kind !== "denied" && !isSilent) throw error;
    const why = isSilent ? "unreachable" : "denied";
    const left = { code: "out-of-reach", why, id: edge.id, action, answer: failure.answer ?? "" } as const;
    return { steps: [], changes: {}, byHand: [left] };
  }
}

async function readAndPlan(edge: EdgeToProvision, clock: Pick<Clock, "now">): Promise<EdgeLook> {
  const { control, wishes, mark, settings } = edge;
  // One that was made and never written down is found by its mark, and not made twice.
  const id = edge.id === "" ? await control.find(mark) : edge.id;
  const facts = id === undefined ? undefined : await control.read(id);
  if (!facts && edge.id !== "") throw new OperatorError("distribution-unknown", { id: edge.id });
  const certificates =
    wishes.names.length === 0 ? ({ state: "unset" } as const) : await control.listCertificates();
  const plan = planDistribution(facts, wishes, { certificates, nowMs: clock.now().getTime() });
  const isMade = facts !== undefined || plan.steps.length > 0;
  const { file } = settings;
  // What somebody else's stands in the place of is not there to be named.
  const taken = plan.byHand.flatMap(({ code }) => TAKEN[code] ?? []);
  const names = settings.names.filter((name) => !taken.includes(name));
  const written: DistributionStep[] =
    isMade && names.length > 0 ? [{ do: "write-settings", file, names }] : [];
  return { ...plan, facts, steps: [...plan.steps, ...written] };
}

const TAKEN: Readonly<Record<string, string>> = {
  "function-taken": "function",
  "policy-taken": "headersPolicy",
};

/** What was done at a distribution. */
export interface EdgeDone {
  readonly facts: DistributionFacts;
  readonly byHand: readonly DistributionByHand[];
}

/**
 * Makes or changes a distribution as it was planned, and writes down what is known of it at once: an id that is lost
 * would be a distribution that nobody finds. @returns undefined where it could not be made yet
 */
export function setUpEdge(edge: EdgeToProvision, look: EdgeLook): Promise<EdgeDone | undefined> {
  return explainControl(edge.id, async () => {
    const { control, mark, settings } = edge;
    const [first] = look.steps;
    let { facts } = look;
    if (!facts && first?.do === "make-distribution") facts = await control.make(first.setup, mark);
    else if (facts && Object.keys(look.changes).length > 0)
      facts = await control.change(facts.id, look.changes);
    if (!facts) return undefined;
    if (settings.names.length === 0) return { facts, byHand: [] };
    const failed = settings.write({
      ...{ ...toHabits(facts), id: facts.id, domain: facts.domain },
      ...{ function: facts.viewerFunction, headersPolicy: facts.headersPolicy?.id },
    });
    const { file } = settings;
    return { facts, byHand: failed ? [{ code: "settings", file, ...failed }] : [] };
  });
}

const FIRST_LOOK_MS = 500;
const LAST_LOOK_MS = 15_000;

/** Waits until all places of a distribution have its settings. Throws `distribution-undeployed`. */
export function waitUntilDeployed(
  { control, deployedWithin: seconds, onWait }: EdgeToProvision,
  standing: DistributionFacts,
  clock: Clock,
): Promise<DistributionFacts> {
  const { id } = standing;
  const began = clock.monotonicMs();
  return explainControl(id, async () => {
    let facts: DistributionFacts | undefined = standing;
    for (
      let waitMs = FIRST_LOOK_MS;
      facts?.isDeployed !== true;
      waitMs = Math.min(LAST_LOOK_MS, waitMs * 1.5)
    ) {
      const passed = (clock.monotonicMs() - began) / 1000;
      if (passed > seconds) throw new OperatorError("distribution-undeployed", { id, seconds });
      onWait(Math.round(passed));
      await clock.sleep(waitMs);
      facts = await control.read(id);
    }
    return facts;
  });
}
