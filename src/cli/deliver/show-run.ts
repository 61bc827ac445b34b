import { OperatorError } from "../../core/model/failure.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import type { Target } from "../../settings/target.ts";
import { listed } from "../../words/text.ts";
import type { Asks, DeliverOptions } from "../../workflows/run-release.ts";
import type { Stay } from "../../workflows/run.ts";
import { DEFAULT_SAMPLE, verify } from "../../workflows/verify.ts";
import { askYes } from "../frame/ask.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import { appendSummary, printResult } from "../frame/output.ts";
import { toDeliverySummary } from "../frame/summary.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { showComparison, showDelivery } from "./show.ts";

/** One call that makes a release. */
export interface ReleaseCall {
  readonly args: Arguments;
  readonly terminal: Terminal;
  readonly stay: Stay;
  readonly target: Target;
}

/** Makes a release as the call says: asks where it must, verifies where it is to, and shows what came of it. */
export async function showRun(
  { args, terminal, stay, target }: ReleaseCall,
  task: (options: DeliverOptions) => Promise<DeliveryResult>,
): Promise<DeliveryResult> {
  const { report, clock } = stay.run;
  const always = target.safety.ask;
  const confirm = (planned: DeliveryResult, asks: Asks): Promise<void> =>
    confirmDelivery(planned, { ...asks, always }, terminal);
  const delivered = await task({
    dryRun: isSet(args, "dry-run"),
    all: isSet(args, "all"),
    queueSeconds: readQueue(args),
    ...(isSet(args, "yes") ? {} : { confirm }),
  });
  const result = isSet(args, "verify") ? await withVerification(delivered, stay, target) : delivered;
  report({ event: "done", result });
  if (text(args, "format") !== "ndjson")
    printResult(args, terminal, result, () => showDelivery(result, terminal, clock.now()));
  appendSummary(args, terminal, () => toDeliverySummary(result));
  return result;
}

/** The last step of a delivery that is asked for it. */
async function withVerification(
  result: DeliveryResult,
  stay: Stay,
  { expectedHeaders }: Target,
): Promise<DeliveryResult> {
  if (result.dryRun) return result;
  const { checked, findings } = await verify(stay, { sample: DEFAULT_SAMPLE, expectedHeaders });
  return { ...result, verification: { checked, findings } };
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
