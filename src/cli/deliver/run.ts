import type { DeliveryResult } from "../../results/delivery.ts";
import { deliver } from "../../workflows/deliver.ts";
import type { Arguments } from "../frame/command.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withDelivery } from "../wiring/session.ts";
import { showRun } from "./show-run.ts";

/** `deliver`. */
export function deliverBuild(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  return withDelivery(args, terminal, (delivery, target) =>
    showRun({ args, terminal, stay: delivery, target }, (options) => deliver(delivery, options)),
  );
}
