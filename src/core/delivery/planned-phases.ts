import {
  phaseOf,
  stepsOf,
  type EdgeInvalidation,
  type PhaseName,
  type Plan,
  type PlannedPhase,
  type StepPhase,
} from "../model/plan.ts";

/** What a run will go through, in its order, as far as there is something to do. @param makesRelease whether it records one */
export function listPlannedPhases(plan: Plan, makesRelease: boolean): PlannedPhase[] {
  const carried = (phase: StepPhase["name"]): PlannedPhase => {
    const steps = stepsOf(phaseOf(plan, phase));
    const bytes = steps.reduce((sum, step) => sum + (step.do === "send" ? step.parcel.size : 0), 0);
    return { phase, steps: steps.length, bytes };
  };
  const asked = (phase: PhaseName, requests: readonly EdgeInvalidation[]): PlannedPhase => ({
    phase,
    steps: requests.reduce((sum, { patterns }) => sum + patterns.length, 0),
    bytes: 0,
  });
  const recorded: readonly PlannedPhase[] = makesRelease ? [{ phase: "record", steps: 2, bytes: 0 }] : [];
  return [
    ...[carried("keep"), carried("stock"), asked("unmask", plan.unmaskings), carried("switch"), ...recorded],
    ...[asked("invalidate", plan.invalidations), carried("announce"), carried("clear")],
  ].filter(({ steps }) => steps > 0);
}
