import { OperatorError } from "../../core/model/failure.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { redeliver } from "../../workflows/redeliver.ts";
import { showRun } from "../deliver/show-run.ts";
import { list, type Arguments } from "../frame/command.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withDestination } from "../wiring/session.ts";

/** `redeliver`. */
export function redeliverRelease(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  const [name, ...others] = list(args, "RELEASE");
  if (name === undefined || others.length > 0)
    throw new OperatorError("usage", { reason: "which release? Name one", command: "redeliver" });
  return withDestination(args, terminal, (stay, target) =>
    showRun({ args, terminal, stay, target }, (options) => redeliver(stay, name, options)),
  );
}
