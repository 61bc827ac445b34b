import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { invalidate } from "../../workflows/invalidate.ts";
import { askYes } from "../frame/ask.ts";
import { isSet, list, text, type Arguments } from "../frame/command.ts";
import { readQueue } from "../frame/options.ts";
import { callLike } from "../frame/next-call.ts";
import { printResult } from "../frame/output.ts";
import { withDestination } from "../frame/session.ts";
import { showInvalidateResult } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";

/** `invalidate`. @returns the exit code: 5 while an edge has not confirmed */
export function invalidateByHand(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const patterns = list(args, "PATTERN");
  const release = text(args, "release");
  const [owed, everything] = [isSet(args, "owed"), isSet(args, "everything")];
  const gone = list(args, "gone");
  if (patterns.length === 0 && release === undefined && !owed && !everything && gone.length === 0)
    throw new OperatorError("usage", {
      reason:
        "name what the edge should forget: addresses or files, or --release, --owed, --gone or --everything",
      command: "invalidate",
    });
  return withDestination(args, terminal, async (stay, { destination }) => {
    const result = await invalidate(stay, {
      ...{ patterns, release, owed, everything, gone },
      dryRun: isSet(args, "dry-run"),
      queueSeconds: readQueue(args),
      ...(isSet(args, "yes")
        ? {}
        : { confirm: () => confirmWish({ everything, gone }, destination, terminal) }),
    });
    stay.run.report({ event: "done", kind: "invalidation", result });
    printResult(args, terminal, { invalidation: result }, () =>
      showInvalidateResult(result, terminal, callLike(args, "invalidate --owed")),
    );
    return result.invalidation.owed.length > 0 ? 5 : 0;
  });
}

async function confirmWish(
  { everything, gone }: { readonly everything: boolean; readonly gone: readonly string[] },
  destination: string,
  terminal: Terminal,
): Promise<void> {
  const reasons = [
    ...(everything ? [`the edge of ${destination} would forget everything, and fetch all of it again`] : []),
    ...gone.map(
      (edge) => `what ${edge} has not confirmed would be struck off, and nobody would ask it again`,
    ),
  ];
  const reason = reasons.join("; ");
  if (!terminal.canAsk) throw new OperatorError("answer-needed", { reason });
  terminal.say(`${reason}\n`);
  await askYes(everything ? "Forget everything?" : "Strike it off?");
}
