import { isPlaceable } from "../core/addresses/redirects.ts";
import {
  toLedAddresses,
  toMissingPages,
  type CacheOrigin,
  type CacheSetup,
} from "../core/cache-setup/cache-setup.ts";
import { encodeKey } from "../core/addresses/addresses.ts";
import { OperatorError } from "../core/model/failure.ts";
import { findOrigin } from "./edge-wishes.ts";
import type { NamedEdgeSettings, Target } from "./target.ts";

/** A cache of the settings. */
type PurgeEdge = Extract<NamedEdgeSettings, { kind: "purge" }>;

/** What a call says besides the settings. */
export interface CacheSetupOptions {
  /** Where the cache reads from. */
  readonly origin: URL | undefined;
  /** Networks that may have copies forgotten. */
  readonly from: readonly string[];
  /** Where the bucket is, if anybody says so. */
  readonly region: string | undefined;
}

/** The cache of a destination that is to be set up. Throws `usage` where there is none, or it has no token. */
export function findCache({ edges, destination }: Pick<Target, "edges" | "destination">): PurgeEdge {
  const edge = edges.find((one) => one.kind === "purge");
  if (!edge) throw usage(`${destination} has no edge of kind purge: say edge: { kind: purge, … } first`);
  const { token, name } = edge;
  if (token === undefined)
    throw usage(`${name} has no token: anybody could have its copies forgotten. Say edge.token`);
  if (!/^[\w-]+$/.test(token))
    throw usage(
      `the token of ${name} must be of letters, digits, - and _ to be written into the set-up of a cache`,
    );
  return edge;
}

/** What a cache before a destination must do, out of the settings. Throws `usage` where nobody says what it reads from. */
export function toCacheSetup(
  target: Target,
  edge: Pick<PurgeEdge, "url" | "nodes" | "header" | "patterns" | "query" | "longestFetch">,
  options: CacheSetupOptions,
): CacheSetup {
  const { url } = target.siteRules;
  return {
    ...toSiteDuties(target),
    origin: toOrigin(target, options),
    port: toPort(edge.nodes?.[0] ?? edge.url ?? url),
    purge: { header: edge.header, from: options.from, patterns: edge.patterns },
    keepsQueries: edge.query === "keyed",
    longestFetch: edge.longestFetch,
    isStoredCompressed: target.siteRules.compression === "gzip",
    leadsToHttps: url?.startsWith("https:") === true,
  };
}

/** What neither the store nor an edge between does already. */
function toSiteDuties({
  siteRules,
  edges,
  expectedHeaders,
}: Target): Pick<CacheSetup, "redirects" | "headers" | "root" | "missing"> {
  const { redirects, endpoint, addressRules, entry, notFound, clientRoutes } = siteRules;
  const { basePath } = addressRules;
  const isBare = edges[0]?.kind !== "distribution" && endpoint.serves === "objects";
  const isCarried = endpoint.edge?.carriesRules === true;
  const byStore = endpoint.serves === "website" && endpoint.carriesRedirects;
  const left = byStore ? redirects.filter((rule) => !endpoint.ownsWebsite && !isPlaceable(rule)) : redirects;
  const toAddress = (key: string): string => basePath + encodeKey(key);
  const page = toAddress(notFound ?? (clientRoutes ? entry : "404.html"));
  return {
    redirects: toLedAddresses(isCarried ? [] : left, basePath),
    headers: Object.fromEntries(Object.entries(expectedHeaders).filter(([, value]) => value !== "*")),
    root: isBare ? { address: basePath, page: toAddress(entry) } : undefined,
    missing: isBare ? toMissingPages(page, clientRoutes ? toAddress(entry) : undefined) : undefined,
  };
}

const toPort = (place: string | undefined): number => {
  if (place?.startsWith("http:") !== true) return 80;
  const { port } = new URL(place);
  return port === "" ? 80 : Number(port);
};

function toOrigin(target: Target, { origin, region }: CacheSetupOptions): CacheOrigin {
  const { store, edges, destination } = target;
  const isBucket = store.kind === "s3";
  if (origin) return toPlace(origin, isBucket);
  const isNext = edges[0]?.kind === "purge";
  const found =
    isBucket && isNext
      ? findOrigin(target, { edge: { endpoint: undefined }, store, region }).origin
      : undefined;
  if (!found || "code" in found)
    throw usage(`what does the cache of ${destination} read from? Say --origin http://HOST:PORT`);
  if (found.access === "signed")
    throw usage(
      `${destination} is for a distribution only (readers: edge-only): a cache of your own can't sign`,
    );
  return toPlace(new URL(`${found.protocol}://${found.host}${found.path}`), true);
}

/** @param isNamed whether it goes by its own name, and not by the one that visitors use */
function toPlace({ protocol, hostname, port, host, pathname }: URL, isNamed: boolean): CacheOrigin {
  const isTls = protocol === "https:";
  return {
    protocol: isTls ? "https" : "http",
    host: hostname.replace(/[[\]]/g, ""),
    port: port === "" ? (isTls ? 443 : 80) : Number(port),
    path: pathname.replace(/\/$/, ""),
    name: isNamed ? host : undefined,
  };
}

const usage = (reason: string): OperatorError => new OperatorError("usage", { reason, command: "provision" });
