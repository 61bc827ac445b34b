import { OperatorError } from "../../core/model/failure.ts";
import type { Ask, MakingOptions } from "../../library/steps.ts";
import { annotateFindings } from "../frame/annotations.ts";
import { askYes } from "../frame/ask.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import { appendSummary, printResult } from "../frame/output.ts";
import { toDeliverySummary } from "../frame/summary.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { callLike } from "../frame/next-call.ts";
import { showComparison } from "./show-comparison.ts";
import { showDelivery } from "./show.ts";

/** How a call makes a release: what it asks, and how it shows what came of it. */
export const toMaking = (args: Arguments, terminal: Terminal): MakingOptions => ({
  dryRun: isSet(args, "dry-run"),
  all: isSet(args, "all"),
  queueSeconds: readQueue(args),
  verify: isSet(args, "verify"),
  ask: isSet(args, "yes") ? undefined : askAt(terminal),
  onResult: (result, now) => {
    if (text(args, "format") !== "ndjson")
      printResult(args, terminal, { delivery: result }, () =>
        showDelivery(result, terminal, {
          now,
          verbose: isSet(args, "verbose"),
          callLike: (words) => callLike(args, words),
        }),
      );
    annotateFindings(result.verification?.findings ?? [], terminal);
    appendSummary(args, terminal, () => toDeliverySummary(result));
  },
});

const askAt =
  (terminal: Terminal): Ask =>
  async (planned, { takesOver, reason }) => {
    if (!terminal.canAsk) throw new OperatorError("answer-needed", { reason });
    const sheet = { ...terminal, isScreen: true, columns: terminal.liveColumns, style: terminal.styleSaid };
    terminal.say(`${showComparison(planned, sheet, { all: false, now: new Date() })}\n`);
    if (takesOver.length > 0)
      terminal.say(`${clean(reason)}\nThey are kept as release 0: rcourier redeliver 0 puts them back.\n`);
    await askYes(`Deliver this to ${planned.destination}?`);
  };
