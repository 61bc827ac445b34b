import type { DistributionByHand, DistributionPlan, DistributionStep } from "../../distribution/plan.ts";
import type { RuleMeans } from "../../model/edge-rules.ts";
import { broken, good, note, type Link } from "./link.ts";

export interface DistributionLook extends Pick<DistributionPlan, "steps" | "byHand"> {
  readonly isDeployed: boolean;
}

/** Whether each of the edge's means does what the release has it do. @param other those that do something else */
export function judgeRules(other: readonly RuleMeans[], release: number): Link[] {
  const asked = { code: "rules", release } as const;
  if (other.length === 0) return [good("distribution", asked, { code: "as-delivered" })];
  const found = { code: "other-means", means: other } as const;
  return [broken("distribution", { asked, found, cause: "rules-otherwise", names: { release } })];
}

/** What the words of a distribution that is set up otherwise are made of. */
export interface OtherwiseNames {
  readonly steps: readonly DistributionStep[];
  readonly byHand: readonly DistributionByHand[];
}

/** Whether the distribution before the store is set up as the settings want it, everywhere. */
export function judgeDistribution({ steps, byHand, isDeployed }: DistributionLook): Link {
  const asked = { code: "distribution" } as const;
  // What the settings leave unsaid is no fault of the distribution.
  const changes = steps.filter((step) => step.do !== "write-settings");
  const count = changes.length + byHand.length;
  if (count > 0) {
    const fault = {
      ...{ asked, found: { code: "differs", count } as const, cause: "distribution-otherwise" as const },
      names: { steps: changes, byHand } satisfies OtherwiseNames,
    };
    // Of a distribution that is off visitors get nothing at all.
    return changes.some((step) => step.do === "switch-on")
      ? broken("distribution", fault)
      : note("distribution", fault);
  }
  return isDeployed
    ? good("distribution", asked, { code: "as-wished" })
    : note("distribution", { asked, found: { code: "being-deployed" }, cause: "being-deployed" });
}
