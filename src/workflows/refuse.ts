import { OperatorError } from "../core/model/failures.ts";
import { placeOf } from "../core/model/problems.ts";
import type { Reporter } from "../ports/reporter.ts";
import type { Outlook } from "./outlook.ts";

/** How many findings of one guard a refusal names before it counts the rest. */
const MOST_FINDINGS = 8;

/** Throws `refused` with everything that speaks against a delivery, guard by guard. */
export function assertNotRefused({ decision: { refusals }, build }: Outlook, report: Reporter): void {
  if (refusals.length === 0) return;
  report({ event: "refused", folder: build.folder, problems: refusals });
  const codes = [...new Set(refusals.map(({ code }) => code))];
  const blocks = codes.map((code) => {
    const found = refusals.filter((problem) => problem.code === code);
    const lines = found.slice(0, MOST_FINDINGS).map((problem) => `  ${placeOf(problem)}${problem.message}`);
    const more = found.length > MOST_FINDINGS ? [`  and ${found.length - MOST_FINDINGS} more`] : [];
    return [...lines, ...more, `    ${found[0]?.hint ?? ""} (${code})`].join("\n");
  });
  throw new OperatorError("refused", { problems: blocks.join("\n") }, { codes: codes.join(",") });
}
