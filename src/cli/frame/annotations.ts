import { join, relative } from "node:path";
import type { VerifyResult } from "../../results/verification.ts";
import type { Survey } from "../../results/survey.ts";
import { clean, type Terminal } from "./terminal.ts";

/** Services show a few problems of one step beside the run. */
const MOST_ANNOTATIONS = 10;

/** Shows what is wrong with a build beside the run, each problem at its place, where a CI service can. */
export function annotateProblems(
  problems: readonly Pick<Survey["problems"][number], "severity" | "message" | "path" | "line">[],
  buildFolder: string,
  { ci, command, folder }: Terminal,
): void {
  const shown = problems.filter(({ severity }) => severity !== "note").slice(0, MOST_ANNOTATIONS);
  for (const { severity, message, path, line } of shown) {
    const place = path === undefined ? undefined : { path: relative(folder, join(buildFolder, path)), line };
    command(ci?.annotate(severity === "error" ? "error" : "warning", clean(message), place) ?? "");
  }
}

/** Shows what is not as delivered beside the run, where a CI service can. */
export function annotateFindings(findings: VerifyResult["findings"], { ci, command }: Terminal): void {
  for (const { address, cause, hint } of findings.slice(0, MOST_ANNOTATIONS))
    command(ci?.annotate("error", clean(`${address}: ${cause}`) + `\n${clean(hint)}`) ?? "");
}
