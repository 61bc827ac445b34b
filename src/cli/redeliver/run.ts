import { OperatorError } from "../../core/model/failure.ts";
import { parseReleaseName, type ReleaseName } from "../../core/history/release-names.ts";
import type { DeliveryResult } from "../../results/delivery.ts";
import { redeliver } from "../../workflows/redeliver.ts";
import { takeOver } from "../../workflows/take-over.ts";
import { showRun, type ReleaseCall } from "../deliver/show-run.ts";
import { isSet, list, type Arguments } from "../frame/command.ts";
import type { Terminal } from "../frame/terminal.ts";
import { withElsewhere } from "../wiring/elsewhere.ts";
import type { RunTies } from "../wiring/open.ts";
import { withDestination } from "../wiring/session.ts";

/** `redeliver`. */
export function redeliverRelease(args: Arguments, terminal: Terminal): Promise<DeliveryResult> {
  const [name, ...others] = list(args, "RELEASE");
  if (name === undefined || others.length > 0)
    throw new OperatorError("usage", { reason: "which release? Name one", command: "redeliver" });
  return withDestination(args, terminal, (stay, target, ties) => {
    const call = { args, terminal, stay, target };
    const parsed = parseReleaseName(name);
    const isOurs =
      parsed?.preview === undefined && (parsed?.destination ?? target.destination) === target.destination;
    if (parsed && !isOurs) return takeOverRelease(parsed, call, ties);
    return showRun(call, (options) => redeliver(stay, parsed?.release ?? name, options));
  });
}

/** A release of a preview, or of another destination. */
function takeOverRelease(parsed: ReleaseName, call: ReleaseCall, ties: RunTies): Promise<DeliveryResult> {
  const { args, stay } = call;
  return withElsewhere(parsed, call, ties, (elsewhere) =>
    showRun(call, (options) =>
      takeOver(stay, { ...elsewhere, isThroughHere: isSet(args, "through-here") }, options),
    ),
  );
}
