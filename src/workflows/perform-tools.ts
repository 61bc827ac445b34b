import type { PerformTools } from "../perform/perform-tools.ts";
import type { Stay } from "./run.ts";

const nothing = (): never => {
  throw new Error("there is no build to send from");
};

/** What the steps of a plan are carried out with; without a build nothing is sent. */
export const createPerformTools = (
  { run, place, writing }: Pick<Stay, "run" | "place" | "writing">,
  more: Pick<PerformTools, "conditions"> & Partial<PerformTools>,
): PerformTools => ({
  ...{ store: place.store, clock: run.clock, report: run.report, pace: writing.pace },
  assertGoesOn: () => {
    run.interruption.assertGoesOn();
  },
  open: nothing,
  findParcel: () => undefined,
  findContent: () => undefined,
  ...more,
});
