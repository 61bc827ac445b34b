import type { DeliveryEvent } from "../../ports/reporter.ts";
import { toProblemResult } from "../../results/problem.ts";
import { showAction } from "../../words/actions.ts";
import { showEdgeWait } from "../../words/edges.ts";
import { showWarning } from "../../words/warnings.ts";

/** An event as `--format ndjson` prints it: part of the interface, documented in docs/results.md. */
export function toPrintedEvent(event: DeliveryEvent): object {
  switch (event.event) {
    case "warning":
      return { event: "warning", code: event.warning.code, message: showWarning(event.warning) };
    case "retry":
      return { ...event, action: showAction(event.action) };
    case "edge": {
      const { wait, ...rest } = event;
      return { ...rest, why: showEdgeWait(wait) };
    }
    case "refused":
      return { ...event, problems: event.problems.map(toProblemResult) };
    default:
      return event;
  }
}
