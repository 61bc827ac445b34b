import type { ExitCode } from "../../words/exits.ts";
import { OperatorError } from "../../core/model/failure.ts";
import type { VerifyResult } from "../../results/verification.ts";
import { verifySite } from "../../library/steps.ts";
import { DEFAULT_SAMPLE } from "../../workflows/verify.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { annotateFindings } from "../frame/annotations.ts";
import { callLike } from "../frame/next-call.ts";
import { appendSummary, printOutput, toJson } from "../frame/output.ts";
import { whileShown } from "../frame/session.ts";
import { toJUnit } from "./junit.ts";
import { toVerifySummary } from "../frame/summary.ts";
import { showVerify } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";

/** `verify`. @returns the exit code: 5 where something is not as it was delivered */
export async function verifyDestination(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const sample = text(args, "sample") ?? String(DEFAULT_SAMPLE);
  if (!/^\d{1,7}$/.test(sample))
    throw new OperatorError("usage", {
      reason: `--sample must be a number, not ${sample}`,
      command: "verify",
    });
  const format = text(args, "format");
  const onResult = (result: VerifyResult): void => {
    printOutput(args, terminal, () => {
      if (format === "json") return toJson({ verification: result });
      return format === "junit"
        ? toJUnit(result)
        : showVerify(result, terminal, { all: isSet(args, "all"), again: callLike(args, "verify") });
    });
    annotateFindings(result.findings, terminal);
    appendSummary(args, terminal, () => toVerifySummary(result));
  };
  const { findings } = await whileShown(args, terminal, (call, conduct) =>
    verifySite(call, conduct, { sample: Number(sample), onResult }),
  );
  return findings.length > 0 ? 5 : 0;
}
