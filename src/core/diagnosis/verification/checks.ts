import { encodeKey, listAddresses, type AddressRules } from "../../addresses/addresses.ts";
import { byText, type ObjectKey, type Sha256, type UrlPath } from "../../model/names.ts";
import type { RecordedParcel } from "../../model/parcel.ts";
import type { Waybill } from "../../model/release.ts";
import { applyRules } from "../../edge-rules/apply.ts";
import type { EdgeRules } from "../../model/edge-rules.ts";
import { RedirectRules, statusOf, toLocation, type RedirectRule } from "../../addresses/redirects.ts";
import { resolve } from "../../addresses/resolve.ts";
import { findReleaseDifferences } from "../../compare/release-differences.ts";
import { spread } from "../../model/spread.ts";

/** One address to be asked for, and what must answer there. */
export type Check =
  | { readonly kind: "content"; readonly address: UrlPath; readonly parcel: RecordedParcel }
  | {
      readonly kind: "redirect";
      readonly address: UrlPath;
      readonly statuses: readonly number[];
      readonly location: string;
      /** Sent along, with its mark; absent: none. */
      readonly query?: string;
    }
  /** Nothing is there, and the answer must say so, with the site's own page where that is known to come. */
  | {
      readonly kind: "missing";
      readonly address: UrlPath;
      readonly notFound: RecordedParcel | undefined;
      readonly hasPage: boolean;
    }
  /** Nothing is there, and the entry page answers. */
  | { readonly kind: "route"; readonly address: UrlPath; readonly parcel: RecordedParcel }
  /** Nothing is there, and what answers for client routes must not answer for a script. */
  | { readonly kind: "missingScript"; readonly address: UrlPath }
  /** A page under a query that nobody has asked for before. */
  | {
      readonly kind: "query";
      readonly address: UrlPath;
      readonly query: string;
      readonly parcel: RecordedParcel;
    };

export interface CheckFacts {
  readonly current: Waybill;
  /** Earlier releases that are still recorded, newest first. */
  readonly older: readonly Waybill[];
  readonly addressRules: AddressRules;
  readonly clientRoutes: boolean;
  readonly redirects: readonly RedirectRule[];
  /** Whether the edge is to answer the redirects of the settings, set up by hand. */
  readonly leavesRedirects: boolean;
  /** Whether the page for what is missing is of the release itself; else only the status is looked at. */
  readonly hasOwnErrors: boolean;
  /** How many addresses are asked for at most, what has changed last not counted. */
  readonly sample: number;
  /** Letters that nobody has used in an address. */
  readonly unused: string;
}

/** What is asked for: what the last delivery changed, and all the rest or a fair sample of it. */
export function selectChecks(facts: CheckFacts): Check[] {
  const { current, older, addressRules, unused } = facts;
  const [before] = older;
  const changed = new Set(
    before ? findReleaseDifferences(before, current).map(({ key }) => key) : [addressRules.indexName],
  );
  const isFresh = ({ key, aliasOf }: RecordedParcel): boolean => changed.has(aliasOf ?? key);
  const fresh = current.parcels.filter(isFresh);
  const others = current.parcels.filter((parcel) => !isFresh(parcel));
  const chosen = [...fresh, ...spread(others, Math.max(0, facts.sample - fresh.length))];
  const contents = dedupe(chosen.flatMap((parcel) => toChecks(parcel, addressRules)));
  const pages = contents.flatMap((check) =>
    check.kind === "content" && /(\/|\.html)$/.test(check.address) ? [check] : [],
  );
  return [
    ...contents,
    ...spread(pages, MOST_QUERIES).map(({ address, parcel }): Check => ({
      kind: "query",
      address,
      query: `?unused=${unused}`,
      parcel,
    })),
    ...toRuleChecks(facts),
    ...(current.edgeRules ? toEdgeChecks(current.edgeRules, facts) : []),
    ...findUnknown(facts),
  ];
}

/** Addresses at which nothing is, where no redirect takes them. */
function findUnknown({
  current,
  redirects,
  clientRoutes,
  unused,
  hasOwnErrors,
  addressRules: { basePath },
}: CheckFacts): Check[] {
  const { edgeRules, parcels } = current;
  const rules = new RedirectRules(redirects);
  const isTaken = (path: string): boolean =>
    rules.follow(`/${path}`) !== undefined ||
    (edgeRules !== undefined && applyRules(edgeRules, basePath + path).kind === "redirect");
  const own = parcels.find(({ role }) => role === "notFound");
  const notFound = hasOwnErrors ? own : undefined;
  const entry = edgeRules?.pages?.entry;
  const page = parcels.find(({ key }) => entry !== undefined && encodeKey(key) === entry);
  const wanted: readonly (Check | undefined)[] = [
    isTaken(unused) || !page ? undefined : { kind: "route", address: basePath + unused, parcel: page },
    isTaken(`${unused}.html`) || clientRoutes
      ? undefined
      : { kind: "missing", address: `${basePath}${unused}.html`, notFound, hasPage: own !== undefined },
    isTaken(`${unused}.js`) ? undefined : { kind: "missingScript", address: `${basePath}${unused}.js` },
  ];
  return wanted.filter((check) => check !== undefined);
}

const MOST_QUERIES = 20;

function toChecks(parcel: RecordedParcel, addressRules: AddressRules): Check[] {
  const { redirectsTo } = parcel;
  return listAddresses(parcel.key, addressRules).map((address) =>
    redirectsTo === undefined
      ? { kind: "content", address, parcel }
      : { kind: "redirect", address, statuses: [301, 302, 307, 308], location: redirectsTo },
  );
}

/** Redirects that the edge is to answer by itself: one that another rule or a file hides is none. */
function toRuleChecks({ redirects, leavesRedirects, current, unused, addressRules }: CheckFacts): Check[] {
  if (!leavesRedirects) return [];
  const { basePath, indexName } = addressRules;
  const rules = new RedirectRules(redirects);
  const keys = new Set(current.parcels.map(({ key }) => key));
  const resolver = { has: (key: ObjectKey) => keys.has(key), bare: false };
  return redirects.flatMap((rule): Check[] => {
    const isTree = rule.address.endsWith("*");
    const asked = rule.address.replace(/\*$/, unused);
    const followed = rules.follow(asked);
    if (followed?.rule !== rule) return [];
    if (!isTree && resolve(asked, { basePath: "/", indexName }, resolver) !== undefined) return [];
    const location = toLocation(followed.leadsTo, basePath);
    return [{ kind: "redirect", address: basePath + asked.slice(1), statuses: [statusOf(rule)], location }];
  });
}

/** Each redirect of the edge itself, with a query that goes along. */
function toEdgeChecks(rules: EdgeRules, { unused }: CheckFacts): Check[] {
  const query = `?unused=${unused}`;
  return rules.redirects.flatMap(({ address }): Check[] => {
    const asked = address.endsWith("*") ? `${address.slice(0, -1)}${unused}` : address;
    const turned = applyRules(rules, asked, query.slice(1));
    if (turned.kind !== "redirect") return [];
    const { status, location } = turned;
    return [{ kind: "redirect", address: asked, query, statuses: [status], location }];
  });
}

/** An address can be an object's own and another's alias: what stands under that very key counts. */
function dedupe(checks: readonly Check[]): Check[] {
  const found = new Map<UrlPath, Check>();
  for (const check of checks) {
    const isAlias = check.kind === "content" && check.parcel.aliasOf !== undefined;
    if (!found.has(check.address) || isAlias) found.set(check.address, check);
  }
  return [...found.values()].sort((a, b) => byText(a.address, b.address));
}

/** Contents that stood under a key in earlier releases, with the last release that had them. */
export function listEarlier(key: ObjectKey, older: readonly Waybill[]): Map<Sha256, number> {
  const found = new Map<Sha256, number>();
  for (const { parcels, release } of older)
    for (const parcel of parcels)
      if (parcel.key === key && !found.has(parcel.hash)) found.set(parcel.hash, release);
  return found;
}
