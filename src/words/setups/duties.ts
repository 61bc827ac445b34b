import type { CacheSetup, LedAddress } from "../../core/cache-setup/cache-setup.ts";

/** What an edge must do, and how. */
export interface Duty {
  readonly what: string;
  readonly how: string;
}

/** What any edge before a destination must do. How it is purged is left out: each has its own way. */
export function toDuties({
  origin,
  root,
  missing,
  redirects,
  headers,
  keepsQueries,
  leadsToHttps,
  longestFetch,
}: Omit<CacheSetup, "port" | "purge">): Duty[] {
  const { protocol, host, port, path, name } = origin;
  const usual = protocol === "https" ? 443 : 80;
  const place = `${protocol}://${host.includes(":") ? `[${host}]` : host}${port === usual ? "" : `:${port}`}${path}/`;
  return [
    { what: "origin", how: `read from ${place}, with the visitor's path after it` },
    { what: "Host to the origin", how: name ?? "the one that the visitor used" },
    { what: "methods", how: "GET and HEAD; all others are refused" },
    ...(leadsToHttps ? [{ what: "plain http", how: "answer 301 to the same address by https" }] : []),
    ...(root ? [{ what: root.address, how: `answer with ${root.page}` }] : []),
    ...toMissing(missing),
    ...redirects.map(toRedirect),
    ...Object.entries(headers).map(([header, value]) => ({
      what: `header ${header}`,
      how: `${value} (on every answer)`,
    })),
    {
      what: "freshness",
      how: "keep to Cache-Control: s-maxage before max-age, nothing longer, and 0 means not at all",
    },
    { what: "errors", how: "hold answers of 400 and above for some seconds at most" },
    {
      what: "queries",
      how: keepsQueries
        ? "hold each query apart (query: keyed)"
        : "hold one copy for all queries (query: ignored)",
    },
    {
      what: "Accept-Encoding",
      how: "make one or two forms of it before looking into the cache (gzip, or gzip and br)",
    },
    { what: "compression", how: "HTML, CSS, JavaScript, JSON, SVG" },
    { what: "names", how: "hold copies by the host name that the visitor used" },
    { what: "a fetch", how: `ends after ${longestFetch} s (longestFetch)` },
  ];
}

function toMissing(missing: CacheSetup["missing"]): Duty[] {
  if (!missing) return [];
  const { page, entry, endings } = missing;
  const notFound = `for 403 and 404 of the origin: ${page}, with status 404`;
  if (entry === undefined) return [{ what: "missing pages", how: notFound }];
  const files = endings.map((ending) => `.${ending}`).join(" ");
  return [
    { what: "client routes", how: `for 403 and 404 of the origin: ${entry}, with status 200` },
    { what: "missing files", how: `${notFound}, where the address ends in ${files}` },
  ];
}

const toRedirect = ({ address, isTree, status, before, carriesRest, after }: LedAddress): Duty => ({
  what: `${address}${isTree ? "*" : ""}`,
  how: `answer ${status} to ${before}${carriesRest ? "*" : ""}${after}, with the visitor's query`,
});
