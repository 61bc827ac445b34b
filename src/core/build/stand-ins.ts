import { decideAliases } from "../addresses/aliases.ts";
import { decideRedirects, RedirectRules } from "../addresses/redirects.ts";
import { decideEdgeRules } from "../edge-rules/decide.ts";
import type { EdgeRules } from "../model/edge-rules.ts";
import type { ExplainedParcel } from "../model/explained-parcel.ts";
import type { Problem } from "../model/problem.ts";
import type { ReferenceGraph } from "../model/reference.ts";
import type { RoutingRule } from "../model/website.ts";
import type { SiteRules } from "./site-rules.ts";

/** What makes addresses answer that name no file. */
export interface StandIns {
  /** Objects that stand for pages, or carry a redirect. */
  readonly parcels: readonly ExplainedParcel[];
  readonly routing: readonly RoutingRule[];
  readonly edgeRules: EdgeRules | undefined;
  readonly problems: readonly Problem[];
}

/** Decides for a site's files what makes its other addresses answer: objects, rules of the website endpoint, or the edge. */
export function decideStandIns(
  parcels: readonly ExplainedParcel[],
  graph: ReferenceGraph,
  rules: SiteRules,
): StandIns {
  const { addressRules, endpoint, clientRoutes, entry } = rules;
  const { serves, edge: means } = endpoint;
  const aliases = decideAliases({ parcels, graph, addressRules, serves });
  const redirects = decideRedirects({
    ...{ endpoint, addressRules, clientRoutes },
    rules: new RedirectRules(rules.redirects),
    paths: new Set([...parcels, ...aliases.aliases].map(({ key }) => key)),
    edgeCanForget: rules.headers.edgeCanForget,
  });
  const atEdge = decideEdgeRules({
    ...{ parcels, addressRules, clientRoutes, serves, means, entry },
    redirects: redirects.atEdge,
  });
  // What the edge finds by itself needs no object that stands for it.
  const placed = means?.carriesRules === true ? [] : aliases.aliases;
  return {
    parcels: [...placed, ...redirects.parcels],
    ...{ routing: redirects.routing, edgeRules: atEdge.rules },
    problems: [...aliases.problems, ...redirects.problems, ...atEdge.problems],
  };
}
