import { hash } from "node:crypto";
import { isIP } from "node:net";
import { toBasePath } from "../core/addresses/addresses.ts";
import { headOf } from "../core/addresses/preview-name.ts";
import { isPlaceable } from "../core/addresses/redirects.ts";
import type { MeansWishes } from "../core/distribution/means.ts";
import type { DistributionWishes, OriginFault } from "../core/distribution/plan.ts";
import type { Origin } from "../core/model/distribution.ts";
import type { EdgeMeans, PreviewHosts } from "../core/model/edge-rules.ts";
import type { UrlPath } from "../core/model/names.ts";
import type { NamedEdgeSettings, PlacedStore, PreviewRules, Target } from "./target.ts";

/** A distribution of the settings. */
export type DistributionEdge = Extract<NamedEdgeSettings, { kind: "distribution" }>;

/** The distribution that stands before the store, where one does: just this one reads from it, and can be set up. */
export function findDistribution({ edges }: Pick<Target, "edges">): DistributionEdge | undefined {
  const [first] = edges;
  return first?.kind === "distribution" ? first : undefined;
}

/** What the distribution before the store can be given, as the settings say it; undefined: none is there. */
export function toEdgeMeans(
  [first]: readonly NamedEdgeSettings[],
  previews: PreviewRules | undefined,
  site: SitePlace,
): EdgeMeans | undefined {
  if (first?.kind !== "distribution") return undefined;
  // Where previews have host names of their own, their paths are the whole site's.
  const [, below = "/"] = /^https?:\/\/[^/{]+(\/[^{]*)\{/.exec(previews?.address ?? "") ?? [];
  return {
    carriesRules: first.function !== undefined,
    setsHeaders: first.headersPolicy !== undefined,
    headers: first.headers,
    apart: below === "/" ? [] : [below],
    ...toPreviewHosts(previews, site),
  };
}

/** Where a site's keys and addresses begin. */
export interface SitePlace {
  /** In the bucket. */
  readonly prefix: string;
  readonly basePath: UrlPath;
}

/** The host names of previews, where the edge reaches their folder from where it reads the site, and their addresses begin as the site's. */
function toPreviewHosts(
  previews: PreviewRules | undefined,
  { prefix, basePath }: SitePlace,
): { readonly previews?: PreviewHosts } {
  const [, before, after = "", path = "/"] =
    /^https?:\/\/([^/:{]*)\{name\}([^/:]*)(?::\d+)?(\/.*)?$/.exec(previews?.address ?? "") ?? [];
  const place = `/${prefix}`;
  if (
    !previews ||
    before === undefined ||
    !place.endsWith(basePath) ||
    toBasePath(`http://a${path}`) !== basePath
  )
    return {};
  const folder = `/${headOf(previews.prefix)}`;
  const origin = place.slice(0, -basePath.length);
  if (!folder.startsWith(`${origin}/`)) return {};
  return {
    previews: { before: before.toLowerCase(), after: after.toLowerCase(), path: folder.slice(origin.length) },
  };
}

/** One name that stands for those of all previews; a `*` can only be a name's whole first part. */
const wildcardOf = ({ before, after }: PreviewHosts): string[] =>
  before.includes(".") || !after.includes(".") ? [] : [`*${after.slice(after.indexOf("."))}`];

type Bucket = Exclude<PlacedStore, { kind: "folder" }>;

/** How the settings want the distribution before the store to be. @param region where the bucket is, if anybody says so */
export function toDistributionWishes(
  target: Pick<Target, "siteRules" | "readers" | "destination" | "previews">,
  { edge, store, region }: { edge: DistributionEdge; store: Bucket; region: string | undefined },
): DistributionWishes {
  const { entry, notFound, clientRoutes, url, addressRules } = target.siteRules;
  const { basePath } = addressRules;
  const isWhole = basePath === "/";
  const means = toMeans(target, edge, store);
  const { previews } = toPreviewHosts(target.previews, { prefix: store.prefix, basePath });
  const own = url === undefined ? [] : namesOf(new URL(url).hostname);
  const { origin, sameHosts } = findOrigin(target, { edge, store, region });
  return {
    ...{ origin, sameHosts, isWhole },
    ...(store.serves === "objects" && isWhole ? { rootDocument: entry } : {}),
    missing: clientRoutes
      ? { page: basePath + entry, as: 200 }
      : { page: basePath + (notFound ?? "404.html"), as: 404 },
    missingFiles: { page: basePath + (notFound ?? (clientRoutes ? entry : "404.html")), as: 404 },
    means,
    https: url === undefined || url.startsWith("https:"),
    ignoresQuery: edge.query !== "keyed",
    minimumSeconds: edge.minimumFreshness ?? 0,
    names: [...own, ...(previews && own.length > 0 ? wildcardOf(previews) : [])],
    ...{ certificate: edge.certificate, certificateRegion: edge.region },
  };
}

/** What releases need of a distribution; one that is to be made gets what spares objects that only stand for others as well. */
function toMeans(
  { siteRules, destination, previews }: Pick<Target, "siteRules" | "destination" | "previews">,
  edge: DistributionEdge,
  store: Bucket,
): MeansWishes {
  const { clientRoutes, redirects, addressRules } = siteRules;
  const { bucket, prefix, serves, ownsWebsite } = store;
  const place = `${bucket}/${prefix} ${destination}`;
  const name = `courier-${`${bucket}-${destination}`.replace(/[^\w-]+/g, "-").slice(0, 46)}-${hash("sha256", place).slice(0, 8)}`;
  const isObjects = serves === "objects";
  const isNeeded =
    clientRoutes ||
    toPreviewHosts(previews, { prefix, basePath: addressRules.basePath }).previews !== undefined ||
    (isObjects && (edge.id === "" || addressRules.basePath !== "/")) ||
    redirects.some((rule) => isObjects || (!ownsWebsite && !isPlaceable(rule)));
  const viewerFunction = edge.function ?? (isNeeded ? name : undefined);
  const id = edge.headersPolicy ?? "";
  const hasHeaders = id !== "" || Object.keys(edge.headers).length > 0;
  return {
    ...(viewerFunction === undefined ? {} : { viewerFunction }),
    ...(hasHeaders ? { headersPolicy: { id, name } } : {}),
  };
}

/** A distribution's own name is no name to be given to it, and those of this machine are nobody's. */
const namesOf = (host: string): string[] =>
  isIP(host.replace(/[[\]]/g, "")) !== 0 || /^localhost$|\.cloudfront\.net$/.test(host) ? [] : [host];

interface OriginFacts {
  readonly origin: Origin | OriginFault;
  readonly sameHosts: readonly string[];
}

const faultOf = (origin: OriginFault): OriginFacts => ({ origin, sameHosts: [] });

/** What an edge reads from, or why nobody can say it. */
export function findOrigin(
  { siteRules, readers }: Pick<Target, "siteRules" | "readers">,
  {
    edge,
    store,
    region,
  }: { edge: Pick<DistributionEdge, "endpoint">; store: Bucket; region: string | undefined },
): OriginFacts {
  const { basePath } = siteRules.addressRules;
  const { prefix, bucket, serves } = store;
  // Visitors' paths go on to the store as they are: whatever is before the site's own part is put before them.
  if (!`/${prefix}`.endsWith(basePath)) return faultOf({ code: "prefix", basePath, prefix });
  const path = `/${prefix}`.slice(0, -basePath.length);
  const access = readers === "edge-only" ? "signed" : "plain";
  // A stand-in for the interface stands for the cloud's own buckets as well.
  const isElsewhere = store.endpoint !== undefined && edge.endpoint === undefined;
  if (isElsewhere) {
    if (serves === "website") return faultOf({ code: "website-elsewhere" });
    if (access === "signed") return faultOf({ code: "signed-elsewhere" });
    return toElsewhere(store, path);
  }
  if (region === undefined) return faultOf({ code: "no-region" });
  const suffix = region.startsWith("cn-") ? "amazonaws.com.cn" : "amazonaws.com";
  if (serves === "website") {
    const hosts = ["-", "."].map((mark) => `${bucket}.s3-website${mark}${region}.${suffix}`);
    const [dashed = "", dotted = ""] = hosts;
    const host = DASHED.has(region) ? dashed : dotted;
    return { origin: { host, path, access: "plain", protocol: "http" }, sameHosts: hosts };
  }
  const host = `${bucket}.s3.${region}.${suffix}`;
  const sameHosts = [`${bucket}.s3-${region}.${suffix}`];
  if (region === "us-east-1") sameHosts.push(`${bucket}.s3.${suffix}`);
  return { origin: { host, path, access, protocol: "https" }, sameHosts };
}

/** Regions whose website endpoints have a dash before their name; all later ones have a dot there. */
const DASHED = new Set(
  (
    "us-east-1 us-west-1 us-west-2 ap-southeast-1 ap-southeast-2 ap-northeast-1 eu-west-1 sa-east-1 " +
    "us-gov-west-1"
  ).split(" "),
);

function toElsewhere({ endpoint = "", bucket, addressing }: Bucket, path: string): OriginFacts {
  const { protocol, host, pathname } = new URL(endpoint);
  const base = pathname.replace(/\/$/, "");
  const place =
    addressing === "host"
      ? { host: `${bucket}.${host}`, path: base + path }
      : { host, path: `${base}/${bucket}${path}` };
  const spoken = protocol === "http:" ? "http" : "https";
  return { origin: { ...place, access: "plain", protocol: spoken }, sameHosts: [] };
}
