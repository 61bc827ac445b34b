import { RedirectRules, type RedirectRule } from "../addresses/redirects.ts";
import { ENDINGS, toEdgeRedirect } from "../edge-rules/decide.ts";
import type { EdgeRedirect } from "../model/edge-rules.ts";
import type { UrlPath } from "../model/names.ts";

/** Caches that anybody can run, and whose set-up can be printed. */
export const CACHE_KINDS = ["varnish", "nginx", "squid", "trafficserver"] as const;
export type CacheKind = (typeof CACHE_KINDS)[number];

/** Where a cache reads from. */
export interface CacheOrigin {
  readonly protocol: "http" | "https";
  readonly host: string;
  readonly port: number;
  /** What stands before visitors' paths there: empty, or `/bucket/prefix`. */
  readonly path: string;
  /** The name that it goes by; undefined: the one that the visitor used. */
  readonly name: string | undefined;
}

/** An address that a cache leads elsewhere by itself. */
export interface LedAddress {
  /** Percent-encoded, with the base path; without its `*`. */
  readonly address: UrlPath;
  /** Whether all addresses that begin so are meant. */
  readonly isTree: boolean;
  readonly status: EdgeRedirect["status"];
  /** Where it leads to, up to what is put in. */
  readonly before: string;
  /** Whether what comes after `address` is put in. */
  readonly carriesRest: boolean;
  /** What joins the visitor's query to it. */
  readonly join: "?" | "&";
  /** What comes last: empty, or begins with `#`. */
  readonly after: string;
}

/** What an origin that knows exact keys alone answers with an error. */
export interface MissingPages {
  /** The page for addresses at which nothing is. */
  readonly page: UrlPath;
  /** With client routes: the page for those of them that do not end like a file. */
  readonly entry?: UrlPath | undefined;
  /** Endings of files, in lower case and without the dot. */
  readonly endings: readonly string[];
}

/** Who may have copies forgotten, and how. */
interface PurgeRule {
  /** The header that carries the token. */
  readonly header: string;
  /** Networks that it is taken from: `10.0.0.0/24`. None: the token is enough. */
  readonly from: readonly string[];
  readonly patterns: "none" | "path" | "ban";
}

/** All that a cache before a destination must do. */
export interface CacheSetup {
  readonly origin: CacheOrigin;
  /** The port that it answers at. */
  readonly port: number;
  readonly purge: PurgeRule;
  /** Whether `/news/?a=1` is held apart from `/news/`. */
  readonly keepsQueries: boolean;
  /** Seconds that a fetch may take. */
  readonly longestFetch: number;
  /** The first that matches counts. */
  readonly redirects: readonly LedAddress[];
  /** Headers of each answer. */
  readonly headers: Readonly<Record<string, string>>;
  /** The address of the first page and its file; undefined: the origin knows it. */
  readonly root: { readonly address: UrlPath; readonly page: UrlPath } | undefined;
  /** Undefined: the origin has pages of its own for them. */
  readonly missing: MissingPages | undefined;
  /** Whether files are compressed where they are stored. */
  readonly isStoredCompressed: boolean;
  /** Whether visitors that came by plain http are led to https, which something before the cache speaks. */
  readonly leadsToHttps: boolean;
}

/** What is left for a cache, where an endpoint carries none of these rules. Rules that never count are left out. */
export function toLedAddresses(rules: readonly RedirectRule[], basePath: UrlPath): LedAddress[] {
  const led = rules.map((rule) => toEdgeRedirect(rule, basePath));
  // Two spellings may be one address.
  const all = new RedirectRules(
    rules.map((rule, index) => ({ ...rule, address: led[index]?.address ?? "" })),
  );
  return led.flatMap((redirect, index) => {
    const isTree = redirect.address.endsWith("*");
    const isHidden = all.findPlace(redirect.address.replace(/\*$/, ""), isTree) < index;
    return isHidden ? [] : [toLed(redirect)];
  });
}

function toLed({ address, leadsTo, status }: EdgeRedirect): LedAddress {
  const isTree = address.endsWith("*");
  const carriesRest = isTree && leadsTo.endsWith("*");
  const [before = "", after] = leadsTo.slice(0, carriesRest ? -1 : undefined).split(/#(.*)/s);
  return {
    ...{ address: isTree ? address.slice(0, -1) : address, isTree, status, before, carriesRest },
    join: before.includes("?") ? "&" : "?",
    after: after === undefined ? "" : `#${after}`,
  };
}

/** Pages for what is missing, where the origin has none of its own. @param entry with client routes */
export const toMissingPages = (page: UrlPath, entry: UrlPath | undefined): MissingPages => ({
  page,
  entry,
  endings: ENDINGS,
});
