import { existsSync } from "node:fs";
import { join } from "node:path";
import type { ExitCode } from "../../words/exits.ts";
import type { Survey } from "../../results/survey.ts";
import type { BuildSource } from "../../ports/build-source.ts";
import { chooseTarget, type Target } from "../../settings/destination.ts";
import { parseSettings, SETTINGS_FILE } from "../../settings/load.ts";
import { survey } from "../../workflows/survey.ts";
import { isSet, text, type Arguments } from "../frame/command.ts";
import { printOutput } from "../frame/output.ts";
import { annotateProblems } from "../frame/annotations.ts";
import { toSarif } from "./sarif.ts";
import { showSurvey } from "./show.ts";
import type { Terminal } from "../frame/terminal.ts";
import { openBuildOf, readTarget } from "../wiring/wiring.ts";

declare const __VERSION__: string;

/** @returns the exit code: 3 where a problem is as bad as `--fail-on` says */
export async function surveyBuild(args: Arguments, terminal: Terminal): Promise<ExitCode> {
  const target = readSurveyTarget(args, terminal);
  const { folder, source } = await openBuildOf(target, args, terminal);
  const result = readSurvey(source, target);
  const format = text(args, "format");
  printOutput(args, terminal, () => {
    if (format === "json") return `${JSON.stringify(result)}\n`;
    if (format === "sarif") return `${JSON.stringify(toSarif(result, __VERSION__), null, 1)}\n`;
    return showSurvey(result, terminal, { all: isSet(args, "all") });
  });
  annotateProblems(result.problems, folder, terminal);
  return isAsBad(result, text(args, "fail-on")) ? 3 : 0;
}

function readSurvey(source: BuildSource, target: Target): Survey {
  try {
    return survey(source, target.siteRules);
  } finally {
    source.close();
  }
}

const SEVERITIES = ["note", "warning", "error"];

const isAsBad = ({ problems }: Survey, least: string | undefined): boolean =>
  least !== undefined &&
  problems.some(({ severity }) => SEVERITIES.indexOf(severity) >= SEVERITIES.indexOf(least));

/** A build can be surveyed before there are any settings. */
function readSurveyTarget(args: Arguments, terminal: Terminal): Target {
  const isAsked = text(args, "settings") !== SETTINGS_FILE;
  if (isAsked || existsSync(join(terminal.folder, SETTINGS_FILE)) || text(args, "build") === undefined)
    return readTarget(args, terminal);
  const source =
    "site: '-'\ndestinations: { none: { store: { kind: s3, bucket: none }, edge: { kind: purge, url: http://localhost } } }\n";
  const parsed = parseSettings(source, "the defaults", { environment: {} });
  const { folder } = terminal;
  return chooseTarget({ ...parsed, folder }, { build: text(args, "build") }, folder);
}
