import type { Sha256 } from "../core/model/names.ts";
import { phaseOf, REMOVALS, type StepPhase } from "../core/model/plan.ts";
import { loosen, switchEdgeRules, type RuleTools } from "../perform/edge-rules.ts";
import { switchRouting } from "../perform/website.ts";
import type { Outlook } from "./outlook.ts";
import type { Stay, Visit } from "./run.ts";
import type { Stopwatch } from "./stopwatch.ts";

interface Switched {
  /** The hash of the website's settings that were written over. */
  readonly settings: Sha256 | undefined;
  /** Has the edge's policy bind the pages as the release asks: to be called once nobody holds those of the one before. */
  readonly narrow: () => Promise<void>;
}

interface SwitchTools {
  readonly carry: (name: "switch", phase: StepPhase) => Promise<void>;
  readonly stopwatch: Stopwatch;
}

/**
 * Pages first, then redirects and whatever else leads to them, at the end what is gone: what only the edge's old rules needed
 * goes when it has the new ones.
 */
export async function switchSite(
  { run, place: { store, ruleKeeper } }: Stay,
  { decision: { plan, newRouting, newEdgeRules } }: Outlook,
  { carry, stopwatch }: SwitchTools,
): Promise<Switched> {
  const whole = phaseOf(plan, "switch");
  if (!newRouting && !newEdgeRules) {
    await carry("switch", whole);
    return { settings: undefined, narrow: () => Promise.resolve() };
  }
  const [writes, removals] = splitSwitch(whole);
  const tools = toRuleTools(run);
  // Pages of both releases are under the same policy for a while.
  const meanwhile = newEdgeRules && ruleKeeper ? await loosen(ruleKeeper, newEdgeRules, tools) : undefined;
  await carry("switch", writes);
  // Redirects that pass from the endpoint to the edge stay at the endpoint until the edge has them.
  const isCleared = newRouting?.length === 0;
  const early = newRouting && !isCleared ? await switchRouting(store, newRouting) : undefined;
  if (ruleKeeper && meanwhile) {
    await switchEdgeRules(ruleKeeper, meanwhile, tools);
    stopwatch.lap("rules");
  }
  const late = newRouting && isCleared ? await switchRouting(store, newRouting) : undefined;
  await carry("switch", removals);
  const narrow = async (): Promise<void> => {
    if (ruleKeeper && newEdgeRules && meanwhile !== newEdgeRules)
      await switchEdgeRules(ruleKeeper, newEdgeRules, tools);
  };
  return { settings: late ?? early, narrow };
}

const toRuleTools = ({ clock, report, interruption }: Visit["run"]): RuleTools => ({
  ...{ clock, report },
  assertGoesOn: () => {
    interruption.assertGoesOn();
  },
});

/** What a switch writes, and what it removes. */
const splitSwitch = ({ name, groups }: StepPhase): [writes: StepPhase, removals: StepPhase] => [
  { name, groups: groups.filter((group) => group.name !== REMOVALS) },
  { name, groups: groups.filter((group) => group.name === REMOVALS) },
];
