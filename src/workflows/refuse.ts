import type { DeliveryDecision } from "../core/delivery/decide.ts";
import { OperatorError } from "../core/model/failure.ts";
import type { Reporter } from "../ports/reporter.ts";

/**
 * Throws `refused` with everything that speaks against a delivery.
 * @param folder the build that paths and lines are of; empty: none
 */
export function assertNotRefused(
  { refusals }: Pick<DeliveryDecision, "refusals">,
  folder: string,
  report: Reporter,
): void {
  if (refusals.length === 0) return;
  report({ event: "refused", folder, problems: refusals });
  const codes = [...new Set(refusals.map(({ code }) => code))];
  throw new OperatorError("refused", { problems: refusals }, { codes: codes.join(",") });
}
