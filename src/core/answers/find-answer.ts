import { encodeKey } from "../addresses/addresses.ts";
import type { Serves } from "../model/endpoint.ts";
import type { ObjectKey, UrlPath } from "../model/names.ts";
import type { RoutingRule } from "../model/website.ts";

/** What stands behind a site, and how addresses lead to it. */
export interface AnsweringEndpoint<O> {
  readonly serves: Serves;
  /** The object under a key, as far as visitors may read it. */
  readonly get: (key: ObjectKey) => O | undefined;
  /** Where an object sends those who ask for it; undefined: it is served itself. Only website endpoints do that. */
  readonly redirectOf: (object: O) => string | undefined;
  /** The name of index documents: `index.html`. */
  readonly indexName: string;
  /** What stands before every key of the site: empty, or ends in a slash. */
  readonly prefix: string;
  /** What the site's addresses begin with, and no key does: `/`, or `/shop/`. */
  readonly basePath: UrlPath;
  /** Whether the root is answered with its index document where the endpoint knows exact keys only. */
  readonly hasRootDocument: boolean;
  /** Rules of a website endpoint, in their order. */
  readonly routing: readonly RoutingRule[];
  /** What answers where nothing stands; absent: nothing does. */
  readonly fallback?: { readonly key: ObjectKey; readonly status: number } | undefined;
}

/** What a visitor is answered with. */
export type FoundAnswer<O> =
  | { readonly kind: "object"; readonly status: number; readonly key: ObjectKey; readonly object: O }
  /** `object` carries the redirect; absent: a rule does, or the endpoint itself. */
  | { readonly kind: "redirect"; readonly status: number; readonly location: string; readonly object?: O }
  | { readonly kind: "missing"; readonly key: ObjectKey };

/**
 * What the endpoint that an edge reads from answers at an address. A website endpoint follows its routing rules, resolves
 * index documents, and sends `/news` on to `/news/`; an objects endpoint knows exact keys only.
 * @param path percent-encoded, below the base path, without a query
 */
export function findAnswer<O>(path: UrlPath, endpoint: AnsweringEndpoint<O>): FoundAnswer<O> {
  const { serves, get, redirectOf, indexName, prefix, fallback } = endpoint;
  const isWebsite = serves === "website";
  const key = prefix + decodePath(path.slice(endpoint.basePath.length));
  const rule = isWebsite ? endpoint.routing.find((one) => key.startsWith(one.prefix)) : undefined;
  if (rule) return { kind: "redirect", status: rule.status, location: toLocation(rule, key) };
  const isFolder = key === "" || key.endsWith("/");
  const isRoot = key === prefix && endpoint.hasRootDocument;
  const named = isFolder && (isWebsite || isRoot) ? key + indexName : key;
  const object = get(named);
  if (object !== undefined) {
    const location = isWebsite ? redirectOf(object) : undefined;
    return location === undefined
      ? { kind: "object", status: 200, key: named, object }
      : { kind: "redirect", status: 301, location, object };
  }
  if (isWebsite && !isFolder && get(`${key}/${indexName}`) !== undefined)
    return { kind: "redirect", status: 302, location: `${path}/` };
  const last = fallback && get(fallback.key);
  return last === undefined
    ? { kind: "missing", key }
    : { kind: "object", status: fallback?.status ?? 200, key: fallback?.key ?? "", object: last };
}

/** A path that is not encoded as it should be is taken as it stands. */
function decodePath(path: string): ObjectKey {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

/** Where a rule sends a key. What the rule says is an address already; what is left of the key is not. */
function toLocation(
  { prefix, replacePrefix, replaceKey, host, protocol }: RoutingRule,
  key: ObjectKey,
): string {
  const rest = replacePrefix === undefined && replaceKey === undefined ? key : key.slice(prefix.length);
  const target = replaceKey ?? `${replacePrefix ?? ""}${encodeKey(rest)}`;
  const origin = host === undefined ? "" : `${protocol ?? "http"}://${host}`;
  return `${origin}/${target.replace(/[^\x21-\x7e]/gu, encodeURIComponent)}`;
}
