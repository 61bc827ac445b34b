import { analyseBuild } from "../core/build/analysis.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import { weighParcels } from "../gather/weigh.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { toSurvey, type Survey } from "../results/survey.ts";

/** The picture of a build: no destination is asked. */
export function survey(source: BuildSource, rules: SiteRules): Survey {
  const build = source.read(rules.exclude);
  const analysis = analyseBuild(build, rules, undefined);
  return toSurvey(build.folder, analysis, weighParcels(source, analysis.wanted.parcels));
}
