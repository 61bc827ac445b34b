import type { ExitCode } from "../../words/exits.ts";
import type { Survey } from "../../results/survey.ts";
import type { BuildSource } from "../../ports/build-source.ts";
import type { GeneralTarget } from "../../settings/target.ts";
import { survey } from "../../workflows/survey.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { printOutput } from "../frame/output.ts";
import { annotateProblems } from "../frame/annotations.ts";
import { toSarif } from "./sarif.ts";
import { showSurvey } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";
import { openBuildOf, readGeneral } from "../wiring/wiring.ts";

declare const __VERSION__: string;

/** @returns the exit code: 3 where a problem is as bad as `--fail-on` says */
export async function surveyBuild(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const target = readGeneral(args, terminal);
  const { folder, source } = await openBuildOf(target, args, terminal);
  const result = await readSurvey(source, target);
  const format = text(args, "format");
  printOutput(args, terminal, () => {
    if (format === "json") return `${JSON.stringify(result)}\n`;
    if (format === "sarif") return `${JSON.stringify(toSarif(result, __VERSION__), null, 1)}\n`;
    return showSurvey(result, terminal, { all: isSet(args, "all") });
  });
  annotateProblems(result.problems, folder, terminal);
  return isAsBad(result, text(args, "fail-on")) ? 3 : 0;
}

async function readSurvey(source: BuildSource, { siteRules, destination }: GeneralTarget): Promise<Survey> {
  try {
    return await survey(source, siteRules, destination);
  } finally {
    source.close();
  }
}

const SEVERITIES = ["note", "warning", "error"];

const isAsBad = ({ problems }: Survey, least: string | undefined): boolean =>
  least !== undefined &&
  problems.some(({ severity }) => SEVERITIES.indexOf(severity) >= SEVERITIES.indexOf(least));
