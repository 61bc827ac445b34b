import type { DeliveryEvent } from "../../ports/reporter.ts";
import type { Target } from "../../settings/target.ts";
import { withPlaces } from "../../settings/load.ts";
import type { Delivery, Stay } from "../../workflows/run.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { toPrintedEvent } from "../frame/events.ts";
import { explainStoreError } from "../frame/failure.ts";
import { watchForInterruption } from "../frame/interruption.ts";
import { createProgress } from "../frame/progress.ts";
import type { Terminal } from "../frame/terminal.ts";
import type { RunTies } from "./open.ts";
import { wireDelivery, wireDestination, type RunTools, type Wired } from "./wiring.ts";

/** What a command does once all is wired. */
export type Task<S extends Stay, T> = (stay: S, target: Target, ties: RunTies) => Promise<T>;

/** Wires a run, turns what stores say into what people understand, and lets go of everything at its end. */
export const withDelivery = <T>(args: Arguments, terminal: Terminal, task: Task<Delivery, T>): Promise<T> =>
  withRun({ args, terminal, wire: wireDelivery }, task);

/** The same for commands that need no build. */
export const withDestination = <T>(args: Arguments, terminal: Terminal, task: Task<Stay, T>): Promise<T> =>
  withRun({ args, terminal, wire: wireDestination }, task);

/** The same for a destination that is known already. */
export const withTarget = <T>(
  target: Target,
  args: Arguments,
  terminal: Terminal,
  task: Task<Stay, T>,
): Promise<T> => withRun({ args, terminal, wire: (...call) => wireDestination(...call, target) }, task);

interface RunFacts<S extends Stay> {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly wire: (args: Arguments, terminal: Terminal, tools: RunTools) => Promise<Wired<S>>;
}

async function withRun<S extends Stay, T>(
  { args, terminal, wire }: RunFacts<S>,
  task: Task<S, T>,
): Promise<T> {
  const show = createProgress(terminal, { quiet: isSet(args, "quiet"), verbose: isSet(args, "verbose") });
  const events = text(args, "format") === "ndjson";
  const report = (event: DeliveryEvent): void => {
    if (events) terminal.print(`${JSON.stringify(toPrintedEvent(event))}\n`);
    else if (event.event === "done") show.end();
    else show(event);
  };
  const interruption = watchForInterruption(terminal);
  let wired: Wired<S> | undefined;
  try {
    const { hide } = terminal;
    const largest = { bytes: 0 };
    const ties = { hide, stop: interruption.stop, largest: () => largest.bytes };
    // An archive may be unpacked there for long.
    wired = await interruption.orStop(wire(args, terminal, { report, interruption, ties, largest }));
    return await interruption.orGiveUp(task(wired.stay, wired.target, ties));
  } catch (thrown) {
    show.end();
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
