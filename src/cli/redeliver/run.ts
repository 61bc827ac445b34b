import { OperatorError } from "../../core/model/failure.ts";
import { redeliverRelease } from "../../library/steps.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { toMaking } from "../deliver/show-run.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import { whileShown } from "../frame/session.ts";
import type { Terminal } from "../frame/terminal.ts";

/** `redeliver`. */
export function runRedeliver(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  const [name, ...others] = list(args, "RELEASE");
  if (name === undefined || others.length > 0)
    throw new OperatorError("usage", {
      reason: "name one release, such as previous or 5",
      command: "redeliver",
    });
  const wanted = { name, isThroughHere: isSet(args, "through-here") };
  return whileShown(args, terminal, (call, conduct) =>
    redeliverRelease(call, conduct, { ...toMaking(args, terminal), ...wanted }),
  );
}
