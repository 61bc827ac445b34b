import { OperatorError } from "../../core/model/failure.ts";
import { listed } from "../../words/text.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import type { DeliveryEvent } from "../../ports/reporter.ts";
import { compare } from "../../workflows/compare.ts";
import { deliver } from "../../workflows/deliver.ts";
import { redeliver } from "../../workflows/redeliver.ts";
import type { Asks, DeliverOptions } from "../../workflows/run-release.ts";
import { DEFAULT_SAMPLE, verify } from "../../workflows/verify.ts";
import { askYes } from "../frame/ask.ts";
import { readQueue } from "../frame/options.ts";
import type { Delivery } from "../../workflows/delivery.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { appendSummary, printResult } from "../frame/output.ts";
import { showComparison, showDelivery } from "./show.ts";
import { toPrintedEvent } from "../frame/events.ts";
import { explainStoreError } from "../frame/failure.ts";
import { createProgress } from "../frame/progress.ts";
import { toDeliverySummary } from "../frame/summary.ts";
import { watchForInterruption } from "../frame/interruption.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { wireDelivery, wireDestination } from "../wiring/wiring.ts";

export function compareBuild(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  return withDelivery(args, terminal, { written: 0 }, async (delivery) => {
    const result = await compare(delivery, { all: isSet(args, "all") });
    const now = delivery.clock.now();
    printResult(args, terminal, result, () =>
      showComparison(result, terminal, { all: isSet(args, "all"), now }),
    );
    return result;
  });
}

export function deliverBuild(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  return runAndShow(withDelivery, args, terminal, deliver);
}

export function redeliverRelease(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  const [name, ...others] = list(args, "RELEASE");
  if (name === undefined || others.length > 0)
    throw new OperatorError("usage", { reason: "which release? Name one", command: "redeliver" });
  return runAndShow(withDestination, args, terminal, (delivery, options) =>
    redeliver(delivery, name, options),
  );
}

function runAndShow(
  withRunOf: typeof withDelivery,
  args: Arguments,
  terminal: Terminal,
  work: (delivery: Delivery, options: DeliverOptions) => Promise<DeliveryResult>,
): Promise<DeliveryResult> {
  const progress = { written: 0 };
  return withRunOf(args, terminal, progress, async (delivery) => {
    const confirm = (planned: DeliveryResult, asks: Asks): Promise<void> =>
      confirmDelivery(planned, { ...asks, always: delivery.target.ask }, terminal);
    const delivered = await work(delivery, {
      dryRun: isSet(args, "dry-run"),
      all: isSet(args, "all"),
      queueSeconds: readQueue(args),
      progress,
      ...(isSet(args, "yes") ? {} : { confirm }),
    });
    const result = isSet(args, "verify") ? await withVerification(delivered, delivery) : delivered;
    delivery.report({ event: "done", result });
    if (text(args, "format") !== "ndjson")
      printResult(args, terminal, result, () => showDelivery(result, terminal, delivery.clock.now()));
    appendSummary(args, terminal, () => toDeliverySummary(result));
    return result;
  });
}

/** The last step of a delivery that is asked for it. */
async function withVerification(result: DeliveryResult, delivery: Delivery): Promise<DeliveryResult> {
  if (result.dryRun) return result;
  const { checked, findings } = await verify(delivery, { sample: DEFAULT_SAMPLE });
  return { ...result, verification: { checked, findings } };
}

/** Wires a run, turns what stores say into what people understand, and lets go of everything at its end. */
export const withDelivery = <T>(
  args: Arguments,
  terminal: Terminal,
  progress: { written: number },
  work: (delivery: Delivery) => Promise<T>,
): Promise<T> => withRun({ args, terminal, progress, wire: wireDelivery }, work);

/** The same for commands that need no build. */
export const withDestination = <T>(
  args: Arguments,
  terminal: Terminal,
  progress: { written: number },
  work: (delivery: Delivery) => Promise<T>,
): Promise<T> => withRun({ args, terminal, progress, wire: wireDestination }, work);

interface RunFacts {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly progress: { written: number };
  readonly wire: typeof wireDelivery;
}

async function withRun<T>(
  { args, terminal, progress, wire }: RunFacts,
  work: (delivery: Delivery) => Promise<T>,
): Promise<T> {
  const show = createProgress(terminal, { quiet: isSet(args, "quiet"), verbose: isSet(args, "verbose") });
  const events = text(args, "format") === "ndjson";
  const report = (event: DeliveryEvent): void => {
    if (events) terminal.print(`${JSON.stringify(toPrintedEvent(event))}\n`);
    else if (event.event === "done") show.end();
    else show(event);
  };
  const interruption = watchForInterruption(terminal);
  let delivery: Delivery | undefined;
  try {
    delivery = await wire(args, terminal, { report, interruption });
    return await work(delivery);
  } catch (error) {
    show.end();
    throw delivery ? explainStoreError(error, delivery.store.location, progress.written) : error;
  } finally {
    interruption.end();
    if (delivery) close(delivery);
  }
}

function close({ source, store, site, edges }: Delivery): void {
  source.close();
  store.close();
  site?.close();
  for (const edge of edges) edge.close();
}

async function confirmDelivery(
  planned: DeliveryResult,
  { takesOver, always }: Asks & { readonly always: boolean },
  terminal: Terminal,
): Promise<void> {
  const { destination } = planned;
  if (!always && takesOver.length === 0) return;
  const reason =
    takesOver.length > 0
      ? `objects that others put at ${destination} would be written over: ${listed(takesOver)}`
      : `${destination} asks before the first write`;
  if (!terminal.canAsk) throw new OperatorError("answer-needed", { reason });
  terminal.say(`\r\u001b[2K${showComparison(planned, terminal, { all: false, now: new Date() })}\n`);
  if (takesOver.length > 0)
    terminal.say(`${clean(reason)}\nthey are kept: rcourier redeliver 0 puts them back\n`);
  await askYes(`Deliver this to ${destination}?`);
}
