import { OperatorError } from "../../core/model/failure.ts";
import { DURATION, MOST_SECONDS, parseSeconds } from "../../settings/units.ts";
import { text, type Arguments } from "./command.ts";

/** `--queue`: how long to wait for another run, in seconds; 0 where it is not given. */
export function readQueue(args: Arguments): number {
  const given = text(args, "queue");
  if (given === undefined) return 0;
  if (DURATION.test(given) && parseSeconds(given) <= MOST_SECONDS) return parseSeconds(given);
  throw new OperatorError("usage", {
    reason: `--queue takes a duration with a unit, such as 90s or 5m, not ${given}`,
    command: "deliver",
  });
}
