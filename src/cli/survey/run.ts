import type { ExitCode } from "../../words/exits.ts";
import type { Survey } from "../../results/survey.ts";
import { surveyBuild } from "../../library/steps.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { printOutput, toJson } from "../frame/output.ts";
import { callLike } from "../frame/next-call.ts";
import { annotateProblems } from "../frame/annotations.ts";
import { toSarif } from "./sarif.ts";
import { showSurvey } from "./show.ts";
import { createProgress } from "../frame/progress.ts";
import type { Terminal } from "../frame/terminal.ts";
import { toCall } from "../frame/session.ts";

declare const __VERSION__: string;

/** @returns the exit code: 3 where a problem is as bad as `--fail-on` says */
export async function runSurvey(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const show = createProgress(terminal, { quiet: isSet(args, "quiet"), verbose: false });
  const { result, folder } = await surveyBuild(toCall(args, terminal), show).finally(show.end);
  const format = text(args, "format");
  printOutput(args, terminal, () => {
    if (format === "json") return toJson({ survey: result });
    if (format === "sarif") return `${JSON.stringify(toSarif(result, __VERSION__), null, 1)}\n`;
    const view = { all: isSet(args, "all"), from: terminal.folder, next: callLike(args, "compare") };
    return showSurvey(result, terminal, view);
  });
  annotateProblems(result.problems, folder, terminal);
  return isAsBad(result, text(args, "fail-on")) ? 3 : 0;
}

const SEVERITIES = ["note", "warning", "error"];

const isAsBad = ({ problems }: Survey, least: string | undefined): boolean =>
  least !== undefined &&
  problems.some(({ severity }) => SEVERITIES.indexOf(severity) >= SEVERITIES.indexOf(least));
