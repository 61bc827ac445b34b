import { createInterface } from "node:readline/promises";
import { OperatorError } from "../core/failures.ts";
import type { DeliveryResult } from "../core/results.ts";
import type { DeliveryEvent } from "../ports/reporter.ts";
import { compare } from "../workflows/compare.ts";
import { deliver } from "../workflows/deliver.ts";
import type { Delivery } from "../workflows/delivery.ts";
import { isSet, text, type Arguments } from "./command.ts";
import { printOutput } from "./output.ts";
import { showComparison, showDelivery } from "./show/delivery.ts";
import { explainStoreError } from "./show/failure.ts";
import { createProgress } from "./show/progress.ts";
import type { Terminal } from "./terminal.ts";
import { wireDelivery } from "./wiring.ts";

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
  const progress = { written: 0 };
  return withDelivery(args, terminal, progress, async (delivery) => {
    const asks = delivery.target.ask && !isSet(args, "yes");
    const result = await deliver(delivery, {
      dryRun: isSet(args, "dry-run"),
      all: isSet(args, "all"),
      progress,
      ...(asks ? { confirm: (planned: DeliveryResult) => confirm(planned, terminal) } : {}),
    });
    delivery.report({ event: "done", result });
    if (text(args, "format") !== "ndjson")
      printResult(args, terminal, result, () => showDelivery(result, terminal, delivery.clock.now()));
    return result;
  });
}

/** Wires a run, turns what stores say into what people understand, and lets go of everything at its end. */
export async function withDelivery<T>(
  args: Arguments,
  terminal: Terminal,
  progress: { written: number },
  work: (delivery: Delivery) => Promise<T>,
): Promise<T> {
  const show = createProgress(terminal, { quiet: isSet(args, "quiet"), verbose: isSet(args, "verbose") });
  const events = text(args, "format") === "ndjson";
  const report = (event: DeliveryEvent): void => {
    if (events) terminal.print(`${JSON.stringify(event)}\n`);
    else if (event.event === "done") show.end();
    else show(event);
  };
  const delivery = await wireDelivery(args, terminal, report);
  try {
    return await work(delivery);
  } catch (error) {
    show.end();
    throw explainStoreError(error, delivery.store.location, progress.written);
  } finally {
    delivery.source.close();
    delivery.store.close();
    for (const edge of delivery.edges) edge.close();
  }
}

function printResult(
  args: Arguments,
  terminal: Terminal,
  result: DeliveryResult,
  toText: () => string,
): void {
  printOutput(args, terminal, () =>
    text(args, "format") === "json" ? `${JSON.stringify(result)}\n` : toText(),
  );
}

async function confirm(planned: DeliveryResult, terminal: Terminal): Promise<void> {
  const { destination } = planned;
  if (!terminal.canAsk) throw new OperatorError("answer-needed", { destination });
  terminal.say(`\r\u001b[2K${showComparison(planned, terminal, { all: false, now: new Date() })}\n`);
  const prompt = createInterface({ input: process.stdin, output: process.stderr });
  try {
    const answer = await prompt
      .question(`Deliver this to ${destination}? (yes or no) `)
      .catch((error: unknown) => {
        // Ctrl-C at the question.
        throw (error as Error).name === "AbortError" ? new OperatorError("interrupted") : error;
      });
    if (!/^y(es)?$/i.test(answer.trim())) throw new OperatorError("answered-no");
  } finally {
    prompt.close();
  }
}
