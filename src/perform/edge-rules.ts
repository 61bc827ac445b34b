import { loosenPolicy, policyOf, withPolicy } from "../core/edge-rules/content-policy.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { EdgeRules } from "../core/model/edge-rules.ts";
import type { Clock } from "../ports/clock.ts";
import type { EdgeRuleKeeper } from "../ports/edge-rules.ts";
import type { Reporter } from "../ports/reporter.ts";
import { explainControl } from "./explain-control.ts";

const FIRST_LOOK_MS = 500;
const LAST_LOOK_MS = 15_000;

export interface RuleTools {
  readonly clock: Clock;
  readonly report: Reporter;
  /** Throws where a person has stopped the run. */
  readonly assertGoesOn: () => void;
}

/**
 * Gives an edge the rules of a release, and waits until all its places have them: what only the old ones needed may go
 * after that. *Fail:* each of its means has the old ones or the new ones; the next delivery gives them again.
 * Throws `distribution-…`.
 */
export const switchEdgeRules = (keeper: EdgeRuleKeeper, rules: EdgeRules, tools: RuleTools): Promise<void> =>
  change(keeper, tools, () => keeper.give(rules));

/**
 * Has pages bound by a policy under which those that stand and those that come both work, before the first of them is
 * written. Throws `distribution-…`. @returns the rules to give meanwhile
 */
export async function loosen(keeper: EdgeRuleKeeper, rules: EdgeRules, tools: RuleTools): Promise<EdgeRules> {
  const standing = await explainControl(keeper.id, () => keeper.readPolicy());
  const text = loosenPolicy(standing, rules);
  if (text !== standing && standing !== undefined) await change(keeper, tools, () => keeper.bindPolicy(text));
  return text === policyOf(rules.headers) ? rules : { ...rules, headers: withPolicy(rules.headers, text) };
}

async function change(
  keeper: EdgeRuleKeeper,
  { clock, report, assertGoesOn }: RuleTools,
  task: () => Promise<void>,
): Promise<void> {
  const { id, deployedWithin: seconds } = keeper;
  const began = clock.monotonicMs();
  const passed = (): number => (clock.monotonicMs() - began) / 1000;
  report({ event: "phase", phase: "rules", state: "started", steps: 1, bytes: 0 });
  await explainControl(id, async () => {
    await task();
    for (let waitMs = FIRST_LOOK_MS; !(await keeper.isEverywhere()); waitMs *= 1.5) {
      if (passed() > seconds) throw new OperatorError("distribution-undeployed", { id, seconds });
      assertGoesOn();
      await clock.sleep(Math.min(LAST_LOOK_MS, waitMs));
    }
  });
  report({ event: "phase", phase: "rules", state: "ended", steps: 1, seconds: passed() });
}
