import { analyseBuild, type AnalysisRules } from "../core/build/analysis.ts";
import { toSurvey, type Survey } from "../results/survey.ts";
import { weighParcels } from "../gather/weigh.ts";
import type { BuildSource } from "../ports/build-source.ts";

/** The picture of a build: no destination is asked. */
export function survey(
  source: BuildSource,
  rules: AnalysisRules & { readonly exclude: readonly string[] },
): Survey {
  const build = source.read(rules.exclude);
  const analysis = analyseBuild(build, rules, undefined);
  return toSurvey(build.folder, analysis, weighParcels(source, analysis.parcels));
}
