import type { DeliveryResult } from "../../results/delivery.ts";
import { deliver } from "../../workflows/deliver.ts";
import type { BuildOutlook } from "../../workflows/outlook.ts";
import { pictureDelivery } from "../../workflows/report.ts";
import type { Arguments } from "../frame/command.ts";
import { writeReport } from "../frame/report.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withDelivery } from "../wiring/session.ts";
import { showRun } from "./show-run.ts";

/** `deliver`. */
export function deliverBuild(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  return withDelivery(args, terminal, async (delivery, target) => {
    let seen: BuildOutlook | undefined;
    const see = (outlook: BuildOutlook): void => {
      seen = outlook;
    };
    const result = await showRun({ args, terminal, stay: delivery, target }, (options) =>
      deliver(delivery, { ...options, see }),
    );
    await writeReport(args, terminal, () => pictureDelivery(delivery, seen, result));
    return result;
  });
}
