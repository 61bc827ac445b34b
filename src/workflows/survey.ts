import { analyseBuild } from "../core/build/analysis.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import { weighParcels } from "../gather/weigh.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { toSurvey, type Survey } from "../results/survey.ts";

/** The picture of a build: no destination is asked. @param destination whose rules count; undefined: the general ones */
export async function survey(
  source: BuildSource,
  rules: SiteRules,
  destination: string | undefined,
): Promise<Survey> {
  const build = await source.read(rules.exclude);
  const { findings, ...analysis } = analyseBuild(build, rules, undefined);
  const weights = await weighParcels(source, analysis.wanted.parcels);
  const problems = findings.problems.map((problem) =>
    // Where no destination is chosen, nobody knows the path that its site has.
    destination === undefined && problem.code === "wrong-base"
      ? { ...problem, severity: "note" as const }
      : problem,
  );
  return toSurvey(
    { folder: build.folder, destination },
    { ...analysis, findings: { ...findings, problems } },
    weights,
  );
}
