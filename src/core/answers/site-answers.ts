import { resolve } from "../addresses/resolve.ts";
import { RedirectRules, statusOf, toLocation } from "../addresses/redirects.ts";
import { applyRules } from "../edge-rules/apply.ts";
import type { SiteRules } from "../build/site-rules.ts";
import type { ObjectKey, UrlPath } from "../model/names.ts";
import type { Parcel } from "../model/parcel.ts";
import type { Wanted } from "../model/wanted.ts";
import { findAnswer, type AnsweringEndpoint, type FoundAnswer } from "./find-answer.ts";

/** What a visitor of a site is answered; `outside`: the address is none of this site's. */
export type SiteAnswer<P extends Parcel> = FoundAnswer<P> | { readonly kind: "outside" };

/**
 * A function that tells what a site answers at an address once all that is wanted stands: the endpoint's answer, and before
 * it the redirects that no endpoint carries, which the edge is to answer.
 */
export function createSiteAnswers<P extends Parcel>(
  { parcels, routing, edgeRules }: Wanted<P>,
  rules: SiteRules,
): (path: UrlPath, query?: string) => SiteAnswer<P> {
  const { addressRules, endpoint } = rules;
  const { basePath } = addressRules;
  const byKey = new Map(parcels.map((parcel) => [parcel.key, parcel]));
  const prefix = endpoint.bucketPrefix;
  const answering: AnsweringEndpoint<P> = {
    serves: endpoint.serves,
    get: (key) => (key.startsWith(prefix) ? byKey.get(key.slice(prefix.length)) : undefined),
    redirectOf: ({ redirectsTo }) => redirectsTo,
    indexName: addressRules.indexName,
    ...{ prefix, basePath, routing, hasRootDocument: true },
    fallback: findFallback(parcels, rules, edgeRules?.pages?.entry !== undefined),
  };
  const isCarried =
    endpoint.edge?.carriesRules === true || (endpoint.serves === "website" && endpoint.carriesRedirects);
  const redirects = new RedirectRules(isCarried ? [] : rules.redirects);
  return (path, query = "") => {
    if (!path.startsWith(basePath)) return { kind: "outside" };
    const turned = edgeRules ? applyRules(edgeRules, path, query) : undefined;
    if (turned?.kind === "redirect") return turned;
    return (
      findRedirect(path, { redirects, basePath, byKey, rules }) ?? findAnswer(turned?.path ?? path, answering)
    );
  };
}

function findFallback(
  parcels: readonly Parcel[],
  { clientRoutes, entry, endpoint: { bucketPrefix } }: SiteRules,
  isLed: boolean,
): AnsweringEndpoint<Parcel>["fallback"] {
  // Where the edge leads routes to the entry page, what is missing after that is a file.
  if (clientRoutes && !isLed) return { key: bucketPrefix + entry, status: 200 };
  const page = parcels.find(({ role, aliasOf }) => role === "notFound" && aliasOf === undefined);
  if (!page) return clientRoutes ? { key: bucketPrefix + entry, status: 404 } : undefined;
  return { key: bucketPrefix + page.key, status: 404 };
}

interface RedirectsBefore {
  readonly redirects: RedirectRules;
  readonly basePath: UrlPath;
  readonly byKey: ReadonlyMap<ObjectKey, Parcel>;
  readonly rules: SiteRules;
}

/** A rule for one address is hidden by the file that answers there; one with a `*` counts before what stands there. */
function findRedirect(
  path: UrlPath,
  { redirects, basePath, byKey, rules }: RedirectsBefore,
): FoundAnswer<never> | undefined {
  const followed = redirects.follow(`/${path.slice(basePath.length)}`);
  if (!followed) return undefined;
  const { rule, leadsTo } = followed;
  const resolver = { has: (key: ObjectKey) => byKey.has(key), bare: false };
  if (!rule.address.endsWith("*") && resolve(path, rules.addressRules, resolver) !== undefined)
    return undefined;
  const location = toLocation(leadsTo, basePath);
  return { kind: "redirect", status: statusOf(rule), location };
}
