import type { DeliveryResult } from "../../results/delivery.ts";
import { compare } from "../../workflows/compare.ts";
import type { BuildOutlook } from "../../workflows/outlook.ts";
import { pictureDelivery } from "../../workflows/report.ts";
import { showComparison } from "../deliver/show.ts";
import { isSet, type Arguments } from "../frame/command.ts";
import { printResult } from "../frame/output.ts";
import { writeReport } from "../frame/report.ts";
import type { Terminal } from "../frame/terminal.ts";
import { printComparison } from "../releases/show-comparison.ts";
import { withDelivery, withDestination } from "../wiring/session.ts";

/** `compare`: the build against a destination. */
export function compareBuild(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  return withDelivery(args, terminal, async (delivery) => {
    const all = isSet(args, "all");
    let seen: BuildOutlook | undefined;
    const result = await compare(delivery, { all, see: (outlook) => (seen = outlook) });
    const now = delivery.run.clock.now();
    printResult(args, terminal, result, () => showComparison(result, terminal, { all, now }));
    await writeReport(args, terminal, () => pictureDelivery(delivery, seen, result));
    return result;
  });
}

/** `compare RELEASE RELEASE`. @returns whether they differ */
export function compareTwo(
  args: Arguments,
  terminal: Terminal,
  names: readonly [string, string],
): Promise<boolean> {
  return withDestination(args, terminal, ({ place }) => printComparison(args, terminal, place, names));
}
