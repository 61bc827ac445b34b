import type { CacheSetup, LedAddress } from "../../core/cache-setup/cache-setup.ts";
import { toLines, TOKEN, toPattern, type PrintedSetup } from "./set-up.ts";

/** A text of nginx; a `$` in it stands for itself. */
const quote = (text: string): string =>
  `"${text.replace(/["\\]/g, "\\$&").replaceAll("$", "${edge_dollar}")}"`;

/** A text in which nothing is looked up: the first column of a map. */
const plain = (text: string): string => `"${text.replace(/["\\]/g, "\\$&")}"`;

const toHost = (host: string): string => (host.includes(":") ? `[${host}]` : host);

/** A complete set-up for nginx with the cache purge module. */
export function toNginx(setup: CacheSetup, hostName: string | undefined): PrintedSetup {
  const { origin, purge, redirects, headers, keepsQueries, leadsToHttps } = setup;
  const key = (path: string): string => `"$scheme://$host${path}${keepsQueries ? "$is_args$args" : ""}"`;
  const hasDollar = [...Object.values(headers), ...redirects.map(({ before, after }) => before + after)].some((one) => one.includes("$")); // prettier-ignore
  const text = toLines(
    "# In the http block; with the cache purge module (libnginx-mod-http-cache-purge).",
    "proxy_cache_path /var/cache/nginx/edge keys_zone=edge:32m max_size=4g inactive=365d use_temp_path=off;",
    `map "$request_method:$http_${purge.header.toLowerCase().replaceAll("-", "_")}" $edge_refused { ${plain(`PURGE:${TOKEN}`)} 0; "~^PURGE:" 1; default 0; }`,
    "# What failed is not held.",
    'map $upstream_status $edge_failed { "~^[45]" 1; default 0; }',
    hasDollar && 'geo $edge_dollar { default "$"; }',
    "# An address as it was asked for: what is decoded must not get into a header.",
    'map $request_uri $edge_asked { "~^(?<edge_path>[^?]*)" $edge_path; }',
    redirects.length > 0 && toLeads(redirects),
    `upstream edge_origin { server ${toHost(origin.host)}:${origin.port}; keepalive 16; }`,
    "",
    "server {",
    `  listen ${setup.port};`,
    hostName !== undefined && `  server_name ${hostName};`,
    "  # Where it leads to is said without its own name and port.",
    "  absolute_redirect off;",
    "  error_page 418 = @purge;",
    "  if ($edge_refused) { return 403; }",
    "  if ($request_method = PURGE) { return 418; }",
    "  if ($request_method !~ ^(GET|HEAD)$) { return 405; }",
    "  # Two spellings of one address would be one copy of two answers.",
    '  if ($edge_asked ~* "//|/\\.\\.?(/|$)|%2f|%5c|%2e") { return 404; }',
    leadsToHttps && "  if ($http_x_forwarded_proto = http) { return 301 https://$host$request_uri; }",
    [...new Set(redirects.map(({ status }) => status))].map(
      (status) => `  if ($edge_leads ~ "^${status} (.*)$") { return ${status} $1; }`,
    ),
    "",
    "  location @purge {",
    purge.from.length > 0 && [...purge.from.map((network) => `    allow ${network};`), "    deny all;"],
    `    proxy_cache_purge edge ${key("$uri")};`,
    "  }",
    "",
    toProxy(setup, key("$edge_address")),
    "",
    toLocations(setup),
    "}",
  );
  return { files: [{ path: "/etc/nginx/conf.d/edge.conf", text }], left: [] };
}

/** How the origin is asked, and what is held. @param key of a copy */
const toProxy = ({ origin, missing, headers, keepsQueries, longestFetch }: CacheSetup, key: string): string =>
  toLines(
    "  proxy_http_version 1.1;",
    '  proxy_set_header Connection "";',
    `  proxy_set_header Host ${origin.name ?? "$http_host"};`,
    origin.protocol === "https" && ["  proxy_ssl_server_name on;", `  proxy_ssl_name ${origin.host};`],
    "  # One form: one copy. It compresses by itself.",
    '  proxy_set_header Accept-Encoding "";',
    "  proxy_ignore_headers Vary;",
    "  gzip on;",
    "  gzip_vary on;",
    "  gzip_proxied any;",
    "  gzip_types text/css text/javascript application/javascript application/json application/manifest+json application/xml text/xml application/rss+xml application/atom+xml text/plain image/svg+xml;",
    "  proxy_cache edge;",
    !keepsQueries && "  # One copy for all queries.",
    `  proxy_cache_key ${key};`,
    "  proxy_no_cache $edge_failed;",
    `  proxy_read_timeout ${Math.max(1, Math.floor(longestFetch / 2))}s;`,
    "  # A visitor waits rather than be given what is old.",
    "  proxy_cache_use_stale off;",
    missing && "  proxy_intercept_errors on;",
    Object.entries(headers).flatMap(([name, value]) => [
      `  proxy_hide_header ${name};`,
      `  add_header ${name} ${quote(value)} always;`,
    ]),
  ).trimEnd();

function toLeads(redirects: readonly LedAddress[]): string[] {
  const longest = Math.max(...redirects.map(({ address }) => address.length));
  return [
    'map $args $edge_query { "" ""; default "?$args"; }',
    'map $args $edge_more { "" ""; default "&$args"; }',
    ...(redirects.length > 500 || longest > 40
      ? [
          `map_hash_bucket_size ${longest > 200 ? 4096 : 512};`,
          `map_hash_max_size ${Math.max(2048, redirects.length * 4)};`,
        ]
      : []),
    "# The first that matches counts.",
    "map $edge_asked $edge_leads {",
    ...redirects.map(({ address, isTree, status, before, carriesRest, join, after }) => {
      const from = isTree
        ? `"~^${toPattern(address).replace(/["\\]/g, "\\$&")}(?<edge_rest>.*)$"`
        : plain(address);
      const rest = carriesRest ? "${edge_rest}" : "";
      const query = join === "?" ? "${edge_query}" : "${edge_more}";
      return `  ${from} "${status} ${quote(before).slice(1, -1)}${rest}${query}${quote(after).slice(1, -1)}";`;
    }),
    '  default "";',
    "}",
  ];
}

function toLocations({
  origin,
  root,
  missing,
  keepsQueries,
}: Pick<CacheSetup, "origin" | "root" | "missing" | "keepsQueries">): string[] {
  const place = `${origin.protocol}://edge_origin${origin.path}`;
  const toPass = (address: string, page: string): string[] => [
    `    set $edge_address ${address};`,
    `    set $edge_page ${page};`,
    `    proxy_pass ${place}$edge_page${keepsQueries ? "$is_args$args" : ""};`,
    "  }",
  ];
  const asked = toPass("$uri", "$edge_asked");
  const toStandIn = (name: string, page: string): string[] => [
    `  location ${name} {`,
    ...toPass(quote(decodeURIComponent(page)), quote(page)),
  ];
  const { entry, page, endings } = missing ?? { page: "", endings: [] };
  const others = entry === undefined ? "=404 @missing" : "=200 @entry";
  return [
    ...(root ? [`  location = ${quote(root.address)} {`, ...toPass("$uri", quote(root.page))] : []),
    ...(entry === undefined
      ? []
      : [`  location ~* "\\.(${endings.join("|")})$" {`, "    error_page 403 404 =404 @missing;", ...asked]),
    "  location / {",
    ...(missing ? [`    error_page 403 404 ${others};`] : []),
    ...asked,
    ...(missing ? toStandIn("@missing", page) : []),
    ...(entry === undefined ? [] : toStandIn("@entry", entry)),
  ];
}
