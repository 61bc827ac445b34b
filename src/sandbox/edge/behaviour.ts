import { many } from "../store/xml.ts";
import type { Serves } from "../../core/model/endpoint.ts";

/** A document of the interface, as its elements stand: texts, groups, and lists of them. */
export type Tree = Readonly<Record<string, unknown>>;

/** What an edge does for one distribution, read out of its configuration and nothing else. */
export interface Behaviour {
  readonly isOn: boolean;
  readonly names: readonly string[];
  readonly origin: ReadFrom;
  /** Empty: `/` stands for nothing. */
  readonly rootDocument: string;
  readonly errors: readonly ErrorRule[];
  readonly compresses: boolean;
  readonly plainHttp: string;
  readonly methods: readonly string[];
  /** What copies are told apart by, besides the address. */
  readonly query: boolean;
  readonly cookies: boolean;
  readonly headers: readonly string[];
  readonly minimumSeconds: number;
  /** The name of the function that is run before the cache is looked at; empty: none. */
  readonly viewerFunction: string;
  /** The id of the policy that sets headers; empty: none. */
  readonly headersPolicy: string;
}

/** Where it fetches. Without a bucket nobody answers there, or not in the way that it is asked in. */
interface ReadFrom {
  readonly kind: Serves;
  readonly bucket: string | undefined;
  /** Empty, or ends in a slash. */
  readonly prefix: string;
  readonly isSigned: boolean;
}

export interface ErrorRule {
  readonly status: number;
  readonly page: string;
  readonly as: number;
  readonly heldSeconds: number;
}

/** What configurations refer to, by their ids. */
export interface Shelf {
  readonly cachePolicies: ReadonlyMap<string, Tree>;
  readonly originAccess: ReadonlyMap<string, Tree>;
  readonly region: string;
}

/** The text at a place of a tree; empty where there is none. */
export function textAt(tree: unknown, ...path: readonly string[]): string {
  const found = path.reduce<unknown>(
    (node, name) => (typeof node === "object" && node !== null ? (node as Tree)[name] : undefined),
    tree,
  );
  return typeof found === "string" || typeof found === "number" || typeof found === "boolean"
    ? String(found)
    : "";
}

/** The items of a list of the interface: `<Origins><Items><Origin>…`. */
export function itemsAt(tree: unknown, list: string, item: string): readonly unknown[] {
  const items = (tree as Readonly<Record<string, { Items?: Tree } | undefined>>)[list]?.Items?.[item];
  return many(items);
}

export function readBehaviour(config: Tree, shelf: Shelf): Behaviour {
  const own = config.DefaultCacheBehavior ?? {};
  const policy = shelf.cachePolicies.get(textAt(own, "CachePolicyId"));
  const values = policy?.ParametersInCacheKeyAndForwardedToOrigin ?? {};
  const forwarded = (own as Tree).ForwardedValues ?? {};
  const isCompressed = !policy || textAt(values, "EnableAcceptEncodingGzip") === "true";
  const methods = itemsAt(own, "AllowedMethods", "Method").map(String);
  return {
    isOn: textAt(config, "Enabled") === "true",
    names: itemsAt(config, "Aliases", "CNAME").map(String),
    origin: readOrigin(config, shelf),
    rootDocument: textAt(config, "DefaultRootObject"),
    errors: itemsAt(config, "CustomErrorResponses", "CustomErrorResponse").map(readError),
    compresses: textAt(own, "Compress") === "true" && isCompressed,
    plainHttp: textAt(own, "ViewerProtocolPolicy"),
    methods: methods.length === 0 ? ["GET", "HEAD"] : methods,
    query: policy
      ? textAt(values, "QueryStringsConfig", "QueryStringBehavior") !== "none"
      : textAt(forwarded, "QueryString") === "true",
    cookies: policy
      ? textAt(values, "CookiesConfig", "CookieBehavior") !== "none"
      : !["", "none"].includes(textAt(forwarded, "Cookies", "Forward")),
    headers: itemsAt(policy ? ((values as Tree).HeadersConfig ?? {}) : forwarded, "Headers", "Name").map(
      (name) => String(name).toLowerCase(),
    ),
    viewerFunction: textAt(
      itemsAt(own, "FunctionAssociations", "FunctionAssociation").find(
        (one) => textAt(one, "EventType") === "viewer-request",
      ),
      "FunctionARN",
    ).replace(/^.*:function\//, ""),
    headersPolicy: textAt(own, "ResponseHeadersPolicyId"),
    minimumSeconds: Number(policy ? textAt(policy, "MinTTL") : textAt(own, "MinTTL")),
  };
}

/** Errors that nobody has said anything of are held for so long. */
export const UNSAID_ERROR_SECONDS = 10;

function readError(rule: unknown): ErrorRule {
  const status = Number(textAt(rule, "ErrorCode"));
  const held = textAt(rule, "ErrorCachingMinTTL");
  return {
    status,
    page: textAt(rule, "ResponsePagePath"),
    as: Number(textAt(rule, "ResponseCode") || status),
    heldSeconds: held === "" ? UNSAID_ERROR_SECONDS : Number(held),
  };
}

function readOrigin(config: Tree, { originAccess, region }: Shelf): ReadFrom {
  const target = textAt(config, "DefaultCacheBehavior", "TargetOriginId");
  const found = itemsAt(config, "Origins", "Origin").find((one) => textAt(one, "Id") === target);
  const host = textAt(found, "DomainName");
  const prefix = textAt(found, "OriginPath").replace(/^\//, "");
  const protocol = textAt(found, "CustomOriginConfig", "OriginProtocolPolicy");
  const access = originAccess.get(textAt(found, "OriginAccessControlId"));
  const [, bucket = "", kind = "", where = ""] =
    /^([a-z0-9.-]+?)\.(s3|s3-website)(?:[.-]([a-z0-9-]+))?\.amazonaws\.com$/.exec(host) ?? [];
  const isWebsite = kind === "s3-website";
  // A website endpoint speaks plain http, and to nobody by name; the store itself answers in its own region.
  const isHeard = isWebsite ? protocol === "http-only" : protocol !== "http-only";
  const isThere = bucket !== "" && where === region && isHeard;
  return {
    kind: isWebsite ? "website" : "objects",
    bucket: isThere ? bucket : undefined,
    prefix: prefix === "" ? "" : `${prefix}/`,
    isSigned: !isWebsite && protocol === "" && textAt(access, "SigningBehavior") === "always",
  };
}
