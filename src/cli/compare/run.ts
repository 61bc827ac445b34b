import { compareBuild } from "../../library/steps.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { showComparison } from "../deliver/show-comparison.ts";
import { callLike } from "../frame/next-call.ts";
import { isSet, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import { toPicture } from "../frame/report.ts";
import { whileShown, withDestination } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";
import { printComparison } from "../releases/show-comparison.ts";

/** `compare`: the build against a destination. */
export function runCompare(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  const all = isSet(args, "all");
  return whileShown(args, terminal, (call, conduct) =>
    compareBuild(call, conduct, {
      all,
      onResult: (result, now) => {
        printResult(args, terminal, { delivery: result }, () =>
          showComparison(result, terminal, { all, now, next: callLike(args, "deliver") }),
        );
      },
      onPicture: toPicture(args, terminal),
    }),
  );
}

/** `compare RELEASE RELEASE`. @returns whether they differ */
export function compareTwo(
  args: Arguments,
  terminal: Terminal,
  names: readonly [string, string],
): Promise<boolean> {
  return withDestination(args, terminal, ({ place }) => printComparison(args, terminal, place, names));
}
