import { withPlaces } from "../settings/load.ts";
import type { Target } from "../settings/target.ts";
import type { Delivery, Run, Stay } from "../workflows/run.ts";
import type { Call } from "./call.ts";
import { explainStoreError } from "./explain-store.ts";
import { followSignal } from "./interruption.ts";
import type { RunTies } from "./open.ts";
import { wireDelivery, wireDestination, type RunTools, type Wired } from "./wiring.ts";

/** Who is told of a run, and who may stop it. */
export interface Conduct extends Pick<Run, "report"> {
  readonly signal: AbortSignal | undefined;
}

/** What is done once all is wired. */
export type Task<S extends Stay, T> = (stay: S, target: Target, ties: RunTies) => Promise<T>;

/** Wires a run, turns what stores say into what people understand, and lets go of everything at its end. */
export const withDelivery = <T>(call: Call, conduct: Conduct, task: Task<Delivery, T>): Promise<T> =>
  withRun({ call, conduct, wire: wireDelivery }, task);

/** The same where no build is needed. */
export const withDestination = <T>(call: Call, conduct: Conduct, task: Task<Stay, T>): Promise<T> =>
  withRun({ call, conduct, wire: wireDestination }, task);

/** The same for a destination that is known already. */
export const withTarget = <T>(
  target: Target,
  call: Call,
  conduct: Conduct,
  task: Task<Stay, T>,
): Promise<T> => withRun({ call, conduct, wire: (own, tools) => wireDestination(own, tools, target) }, task);

interface RunFacts<S extends Stay> {
  readonly call: Call;
  readonly conduct: Conduct;
  readonly wire: (call: Call, tools: RunTools) => Promise<Wired<S>>;
}

async function withRun<S extends Stay, T>(
  { call, conduct: { report, signal }, wire }: RunFacts<S>,
  task: Task<S, T>,
): Promise<T> {
  const interruption = followSignal(signal);
  let wired: Wired<S> | undefined;
  try {
    interruption.assertGoesOn();
    const largest = { bytes: 0 };
    const ties = { hide: call.hide, stop: interruption.stop, largest: () => largest.bytes };
    // An archive may be unpacked there for long.
    wired = await interruption.orStop(wire(call, { report, interruption, ties, largest }));
    return await interruption.orGiveUp(task(wired.stay, wired.target, ties));
  } catch (thrown) {
    const error = interruption.explain(thrown);
    if (!wired) throw error;
    const { store, tally } = wired.stay.place;
    throw explainStoreError(withPlaces(error, wired.target), store.location, tally.written);
  } finally {
    interruption.end();
    if (wired) close(wired.stay);
  }
}

/** Lets go of all that a run has opened. */
export function close({
  place: { store, visitors, edges, preview, ruleKeeper },
  ...rest
}: Stay | Delivery): void {
  if ("source" in rest) rest.source.close();
  store.close();
  preview?.original.store.close();
  visitors?.close();
  for (const edge of edges) edge.close();
  ruleKeeper?.close();
}
