import type { DistributionFacts, DistributionSetup, HeadersPolicy } from "../model/distribution.ts";

/** What a distribution is given so that each release can say what it does by itself. */
export interface MeansWishes {
  /** The name of its function; absent: nothing needs one. */
  readonly viewerFunction?: string | undefined;
  /** Absent: it is to set no headers. */
  readonly headersPolicy?: HeadersPolicy | undefined;
}

/** A function that each release says the doings of; the headers likewise. */
export interface MeansStep {
  readonly do: "give-function" | "give-headers-policy";
  readonly name: string;
}

/** What stands where ours would: there can be one of each. */
export type MeansTaken =
  | { readonly code: "function-taken"; readonly standing: string; readonly wanted: string }
  | { readonly code: "policy-taken"; readonly standing: HeadersPolicy };

/** A change for what is not there; what somebody else has put there stays, and is a person's to take away. */
export function planMeans(
  facts: Pick<DistributionFacts, "viewerFunction" | "headersPolicy">,
  { viewerFunction, headersPolicy }: MeansWishes,
): {
  readonly steps: readonly MeansStep[];
  readonly byHand: readonly MeansTaken[];
  readonly changes: Partial<Pick<DistributionSetup, "viewerFunction" | "headersPolicy">>;
} {
  const steps: MeansStep[] = [];
  const byHand: MeansTaken[] = [];
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
