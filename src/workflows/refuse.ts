import { OperatorError } from "../core/model/failure.ts";
import type { Reporter } from "../ports/reporter.ts";
import type { Outlook } from "./outlook.ts";

/** Throws `refused` with everything that speaks against a delivery. */
export function assertNotRefused({ decision: { refusals }, build }: Outlook, report: Reporter): void {
  if (refusals.length === 0) return;
  report({ event: "refused", folder: build.folder, problems: refusals });
  const codes = [...new Set(refusals.map(({ code }) => code))];
  throw new OperatorError("refused", { problems: refusals }, { codes: codes.join(",") });
}
