import type { DistributionFacts, HeadersPolicy } from "../model/distribution.ts";
import type { DistributionPlan } from "./plan.ts";

/** What a distribution is given so that each release can say what it does by itself. */
export interface MeansWishes {
  /** The name of its function; absent: nothing needs one. */
  readonly viewerFunction?: string | undefined;
  /** Absent: it is to set no headers. */
  readonly headersPolicy?: HeadersPolicy | undefined;
}

/** A change for what is not there; what somebody else has put there stays, and is a person's to take away. */
export function planMeans(
  facts: Pick<DistributionFacts, "viewerFunction" | "headersPolicy">,
  { viewerFunction, headersPolicy }: MeansWishes,
): DistributionPlan {
  const steps: DistributionPlan["steps"][number][] = [];
  const byHand: DistributionPlan["byHand"][number][] = [];
  const hasOther = facts.viewerFunction !== undefined && facts.viewerFunction !== viewerFunction;
  const isGiven = facts.viewerFunction === viewerFunction;
  if (viewerFunction !== undefined && hasOther)
    byHand.push({ code: "function-taken", standing: facts.viewerFunction ?? "", wanted: viewerFunction });
  else if (viewerFunction !== undefined && !isGiven)
    steps.push({ do: "give-function", name: viewerFunction });
  const standing = facts.headersPolicy;
  const isOurs = standing && (standing.id === headersPolicy?.id || standing.name === headersPolicy?.name);
  if (headersPolicy && standing && !isOurs) byHand.push({ code: "policy-taken", standing });
  else if (headersPolicy && !standing) steps.push({ do: "give-headers-policy", name: headersPolicy.name });
  const gives = (name: string): boolean => steps.some((step) => step.do === name);
  return {
    ...{ steps, byHand },
    changes: {
      ...(gives("give-function") ? { viewerFunction } : {}),
      ...(gives("give-headers-policy") ? { headersPolicy } : {}),
    },
  };
}
