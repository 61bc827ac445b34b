import { analyseBuild, type Analysis } from "../core/build/analysis.ts";
import { applyRules } from "../core/edge-rules/apply.ts";
import type { SiteRules } from "../core/build/site-rules.ts";
import type { Comparison } from "../core/compare/compare.ts";
import { OperatorError } from "../core/model/failure.ts";
import { findNearest } from "../core/model/nearest.ts";
import { explainFile, type Explanation } from "../results/explanation.ts";
import type { BuildSource } from "../ports/build-source.ts";
import { planOutlook } from "./outlook.ts";
import type { Delivery } from "./run.ts";

/** Explains files of the build, what a delivery would do with them included. Throws `no-such-file`. */
export async function explain(delivery: Delivery, names: readonly string[]): Promise<Explanation[]> {
  const outlook = await planOutlook(delivery);
  return explainAll(names, {
    ...outlook,
    ...outlook.build,
    rules: delivery.place.siteRules,
    comparison: outlook.decision.comparison,
  });
}

/** The same where no destination is asked. */
export async function explainBuild(
  source: BuildSource,
  rules: SiteRules,
  names: readonly string[],
): Promise<Explanation[]> {
  const { folder, ...build } = await source.read(rules.exclude);
  return explainAll(names, { ...analyseBuild({ folder, ...build }, rules, undefined), folder, rules });
}

interface ExplainFacts extends Analysis {
  readonly folder: string;
  readonly rules: SiteRules;
  readonly comparison?: Comparison;
}

const explainAll = (names: readonly string[], facts: ExplainFacts): Explanation[] =>
  names.map((name) => {
    const found = explainFile(name, facts, facts.rules, facts.comparison);
    if (found) return found;
    const nearest = findNearest(
      name,
      facts.wanted.parcels.map(({ key }) => key),
    );
    throw new OperatorError("no-such-file", {
      name,
      folder: facts.folder,
      nearest,
      led: findLed(name, facts),
    });
  });

/** Where the edge sends those who ask for an address; undefined: nowhere, as far as the settings say. */
function findLed(name: string, { wanted: { edgeRules } }: ExplainFacts): string | undefined {
  const turned = edgeRules && name.startsWith("/") ? applyRules(edgeRules, name) : undefined;
  return turned?.kind === "redirect" ? `${turned.status} ${turned.location}` : undefined;
}
