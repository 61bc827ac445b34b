import type { CacheSetup, LedAddress } from "../../core/cache-setup/cache-setup.ts";
import { toLines, TOKEN, toPattern, type PrintedSetup } from "./set-up.ts";

const FOLDER = "/etc/trafficserver";
const quote = (text: string): string => `"${text.replace(/["\\]/g, "\\$&")}"`;

/** A complete set-up for Traffic Server 9. */
export function toTrafficServer(setup: CacheSetup): PrintedSetup {
  const { origin, purge, root, missing, redirects, keepsQueries, longestFetch } = setup;
  const place = `${origin.protocol}://${origin.host.includes(":") ? `[${origin.host}]` : origin.host}:${origin.port}${origin.path}`;
  const turns = [
    ...redirects.flatMap((one) => toTurns(one, origin.path)),
    ...(root ? [`^[A-Z]+${toPattern(origin.path + root.address)}(\\?.*)?$ ${place}${root.page}$1`] : []),
  ];
  const records = toLines(
    `CONFIG proxy.config.http.server_ports STRING ${setup.port}`,
    "CONFIG proxy.config.reverse_proxy.enabled INT 1",
    "CONFIG proxy.config.url_remap.remap_required INT 1",
    `CONFIG proxy.config.url_remap.pristine_host_hdr INT ${origin.name === undefined ? 1 : 0}`,
    "# One form of all that browsers take.",
    "CONFIG proxy.config.http.normalize_ae INT 1",
    "CONFIG proxy.config.http.cache.required_headers INT 2",
    `CONFIG proxy.config.http.transaction_active_timeout_out INT ${Math.max(1, Math.floor(longestFetch * 0.75))}`,
  );
  const plugins = [
    `@plugin=header_rewrite.so @pparam=${FOLDER}/edge.config`,
    ...(turns.length > 0 ? [`@plugin=regex_remap.so @pparam=${FOLDER}/addresses.config @pparam=method`] : []),
    `@plugin=compress.so @pparam=${FOLDER}/compress.config`,
    ...(keepsQueries ? [] : ["@plugin=cachekey.so @pparam=--remove-all-params=true"]),
  ];
  const files = [
    { path: `${FOLDER}/records.config`, text: records },
    { path: `${FOLDER}/remap.config`, text: toLines(`map / ${place}/ ${plugins.join(" ")}`) },
    { path: `${FOLDER}/edge.config`, text: toRules(setup) },
    ...(turns.length > 0 ? [{ path: `${FOLDER}/addresses.config`, text: toLines(turns) }] : []),
    { path: `${FOLDER}/compress.config`, text: toLines(COMPRESS) },
    { path: `${FOLDER}/ip_allow.yaml`, text: toAllowed(purge.from) },
  ];
  return { files, left: missing ? ["missing-pages"] : [] };
}

/** What goes out is compressed; what is held is not. */
const COMPRESS = [
  "cache false",
  "remove-accept-encoding false",
  "supported-algorithms gzip",
  ...["text/*", "*javascript*", "*json*", "*xml*"].map((type) => `compressible-content-type ${type}`),
];

/** Rules one after the other; a visitor who is led elsewhere gets no further. */
function toRules({ purge, headers, leadsToHttps }: CacheSetup): string {
  return toLines(
    "cond %{REMAP_PSEUDO_HOOK} [AND]",
    "cond %{METHOD} =PURGE [AND]",
    `cond %{CLIENT-HEADER:${purge.header}} =${quote(TOKEN)} [NOT]`,
    "  set-status 403",
    leadsToHttps && [
      "cond %{REMAP_PSEUDO_HOOK} [AND]",
      "cond %{METHOD} =PURGE [NOT,AND]",
      "cond %{CLIENT-HEADER:X-Forwarded-Proto} =http",
      '  set-redirect 301 "https://%{CLIENT-HEADER:Host}/%{CLIENT-URL:PATH}" [QSA]',
    ],
    "# What failed is not held.",
    "cond %{READ_RESPONSE_HDR_HOOK} [AND]",
    "cond %{STATUS} >399",
    '  set-header Cache-Control "no-store"',
    Object.keys(headers).length > 0 && [
      "cond %{SEND_RESPONSE_HDR_HOOK}",
      ...Object.entries(headers).map(([name, value]) => `  set-header ${name} ${quote(value)}`),
    ],
  );
}

/** The first line that matches counts. Copies at an address that leads elsewhere can still be forgotten. */
function toTurns(
  { address, isTree, status, before, carriesRest, join, after }: LedAddress,
  path: string,
): string[] {
  const from = `^(GET|HEAD)${toPattern(path + address)}${isTree ? "([^?]*)" : "()"}`;
  // A dollar is where something is put in.
  const own = (text: string): string => text.replaceAll("$", "%24");
  const target = `${own(before)}${carriesRest ? "$2" : ""}`;
  return [
    `${from}\\??$ ${target}${own(after)} @status=${status}`,
    `${from}\\?(.+)$ ${target}${join}$3${own(after)} @status=${status}`,
  ];
}

function toAllowed(from: readonly string[]): string {
  const allow = (addresses: string, methods: string): string =>
    `  - { apply: in, ip_addrs: ${addresses}, action: allow, methods: [${methods}] }`;
  const others = from.length > 0 ? "GET, HEAD" : "GET, HEAD, PURGE";
  return toLines(
    "ip_allow:",
    from.map((network) => allow(`"${network}"`, "GET, HEAD, PURGE")),
    allow("0/0", others),
    allow('"::/0"', others),
  );
}
