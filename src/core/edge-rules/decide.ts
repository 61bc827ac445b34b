import type { AddressRules } from "../addresses/addresses.ts";
import { encodeKey } from "../addresses/addresses.ts";
import { statusOf, toLocation, type RedirectRule } from "../addresses/redirects.ts";
import type { Serves } from "../model/endpoint.ts";
import {
  MOST_CUSTOM_HEADERS,
  MOST_FUNCTION_BYTES,
  MOST_HEADER_LETTERS,
  type EdgeMeans,
  type EdgeRedirect,
  type EdgeRules,
  type PageAddresses,
} from "../model/edge-rules.ts";
import type { ObjectKey } from "../model/names.ts";
import { isHtml, type Parcel } from "../model/parcel.ts";
import type { Problem } from "../model/problem.ts";
import { toCanonical } from "./apply.ts";
import { toFunctionCode } from "./function-code.ts";

export interface EdgeRuleFacts {
  /** Undefined: the edge can be given nothing. */
  readonly means: EdgeMeans | undefined;
  /** The site's files, without what only stands for them; sorted by key. */
  readonly parcels: readonly Parcel[];
  readonly addressRules: AddressRules;
  readonly serves: Serves;
  readonly clientRoutes: boolean;
  readonly entry: ObjectKey;
  /** Redirects that are left to the edge, the first that matches counts. */
  readonly redirects: readonly RedirectRule[];
}

/** What the edge is to do by itself, and what of that it can't. */
export function decideEdgeRules(facts: EdgeRuleFacts): {
  readonly rules: EdgeRules | undefined;
  readonly problems: readonly Problem[];
} {
  const { means, redirects, addressRules } = facts;
  if (!means) return { rules: undefined, problems: [] };
  const names = Object.keys(means.headers);
  const unplaced: Problem[] =
    means.setsHeaders || names.length === 0
      ? []
      : [{ code: "edge-headers-unplaced", severity: "warning", facts: { names } }];
  if (!means.carriesRules && !means.setsHeaders) return { rules: undefined, problems: unplaced };
  const { basePath } = addressRules;
  const pages = means.carriesRules ? decidePages(facts) : undefined;
  const rules: EdgeRules = {
    ...{ basePath, apart: means.apart, headers: means.setsHeaders ? means.headers : {} },
    ...(means.carriesRules && means.previews && { previews: means.previews }),
    redirects: means.carriesRules ? redirects.map((rule) => toEdgeRedirect(rule, basePath)) : [],
    ...(pages && { pages }),
  };
  return { rules, problems: [...unplaced, ...findTooLarge(rules), ...findLongHeaders(rules)] };
}

/** A rule of the settings as an edge carries it out: with the base path, in the spelling that counts. */
export function toEdgeRedirect(rule: RedirectRule, basePath: string): EdgeRedirect {
  const { address, leadsTo } = rule;
  const [path = ""] = address.split("?");
  const own = toCanonical(path) ?? path;
  return { address: basePath + own.slice(1), leadsTo: toLocation(leadsTo, basePath), status: statusOf(rule) };
}

/** Endings that are a file's in any site: an unknown one of these is missing, whatever the site's scripts do with addresses. */
export const ENDINGS: readonly string[] = [
  ...["css", "gif", "html", "ico", "jpeg", "jpg", "js", "json", "map", "mjs", "pdf", "png", "svg"],
  ...["txt", "webmanifest", "webp", "woff", "woff2", "xml"],
];

/** What objects and their endpoint do not say by themselves; undefined: nothing. */
function decidePages(facts: EdgeRuleFacts): PageAddresses | undefined {
  const { parcels, addressRules, serves, clientRoutes, entry } = facts;
  const { forms, indexName } = addressRules;
  const isBare = forms.includes("bare");
  if (serves === "website" && !clientRoutes && !isBare) return undefined;
  const folders = forms.includes("folder");
  const common = { folders: folders || serves === "website", indexName };
  const keys = parcels.map(({ key }) => key);
  if (clientRoutes) {
    const others = toOthers(listKnown(facts), "?");
    const own = keys.map(endingOf).filter((ending) => /^[a-z0-9]{1,12}$/.test(ending));
    const endings = [...new Set([...ENDINGS, ...own])].sort();
    return { ...common, bare: "", others, entry: encodeKey(entry), endings };
  }
  const known = isBare ? listKnown(facts) : [];
  const count = (added: string): number => known.filter(([, one]) => one === added).length;
  const folder = `/${indexName}`;
  const bare = !isBare ? "" : serves === "objects" && count(folder) > count(".html") ? folder : ".html";
  return { ...common, bare, others: toOthers(known, bare), endings: [] };
}

/** What is not as an address without an ending is taken to be; one with an ending is taken as it stands. */
function toOthers(known: readonly (readonly [string, string])[], usual: string): Record<string, string> {
  const others: Record<string, string> = {};
  const seen = new Set<string>();
  for (const [address, added] of known) {
    if (seen.has(address)) continue;
    seen.add(address);
    const last = address.slice(address.lastIndexOf("/") + 1);
    if (added !== (last.includes(".") && usual !== "?" ? "" : usual)) others[address] = added;
  }
  return others;
}

/** The addresses that do not name their file, and what makes them name it: a file of just that name comes first. */
function listKnown({
  parcels,
  addressRules,
  serves,
  clientRoutes,
  entry,
}: EdgeRuleFacts): [string, string][] {
  const { forms, indexName } = addressRules;
  const isBare = forms.includes("bare");
  const plain = parcels
    .filter(({ key }) => !key.slice(key.lastIndexOf("/") + 1).includes("."))
    .map(({ key }): [string, string] => [encodeKey(key), ""]);
  const pages = parcels.flatMap((parcel): [string, string][] => {
    const { key } = parcel;
    if (!isHtml(parcel) || key === indexName || key === entry) return [];
    const own = encodeKey(key);
    if (key.endsWith(`/${indexName}`)) {
      const folder = own.slice(0, -encodeKey(indexName).length);
      // A website endpoint sends visitors of a folder on to its address with a slash.
      const bare: [string, string][] =
        serves === "website"
          ? [[folder.slice(0, -1), ""]]
          : isBare
            ? [[folder.slice(0, -1), `/${indexName}`]]
            : [];
      const isFolder = clientRoutes && (forms.includes("folder") || serves === "website");
      return [...bare, ...(isFolder ? [[folder, indexName] as [string, string]] : [])];
    }
    return isBare && key.endsWith(".html") ? [[own.slice(0, -".html".length), ".html"]] : [];
  });
  return [...plain, ...pages];
}

function endingOf(key: ObjectKey): string {
  const last = key.slice(key.lastIndexOf("/") + 1);
  return last.includes(".") ? last.slice(last.lastIndexOf(".") + 1).toLowerCase() : "";
}

function findTooLarge(rules: EdgeRules): Problem[] {
  const bytes = toFunctionCode(rules).length;
  if (bytes <= MOST_FUNCTION_BYTES) return [];
  const facts = {
    ...{ bytes, most: MOST_FUNCTION_BYTES, redirects: rules.redirects.length },
    untold: Object.keys(rules.pages?.others ?? {}).length,
  };
  return [{ code: "edge-rules-large", severity: "error", facts }];
}

/** Headers that an edge's policy has a place of their own for. */
const PLACED = new Set([
  "content-security-policy",
  "referrer-policy",
  "strict-transport-security",
  "x-content-type-options",
  "x-frame-options",
  "x-xss-protection",
]);

function findLongHeaders({ headers }: EdgeRules): Problem[] {
  const long = Object.entries(headers).flatMap(([name, value]): Problem[] =>
    value.length <= MOST_HEADER_LETTERS
      ? []
      : [
          {
            ...{ code: "edge-header-long", severity: "error" },
            facts: { name, letters: value.length, most: MOST_HEADER_LETTERS },
          },
        ],
  );
  const custom = Object.keys(headers).filter((name) => !PLACED.has(name.toLowerCase())).length;
  if (custom <= MOST_CUSTOM_HEADERS) return long;
  const many = { headers: custom, most: MOST_CUSTOM_HEADERS };
  return [...long, { code: "edge-headers-many", severity: "error", facts: many }];
}
