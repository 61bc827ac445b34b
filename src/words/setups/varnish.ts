import type { CacheSetup, LedAddress } from "../../core/cache-setup/cache-setup.ts";
import { toLines, TOKEN, toPattern, type PrintedSetup } from "./set-up.ts";

/** A string of VCL: it knows no escapes, but three kinds of quotes. */
const quote = (text: string): string =>
  !text.includes('"') ? `"${text}"` : text.includes('"}') ? `"""${text}"""` : `{"${text}"}`;

/** A complete set-up for Varnish 6.2 and later. It asks its origin by plain http. */
export function toVarnish(setup: CacheSetup): PrintedSetup {
  const { purge, redirects, leadsToHttps } = setup;
  const marks = [
    ...(redirects.length > 0 || leadsToHttps ? ["X-Leads-To"] : []),
    ...(redirects.length > 0 ? ["X-Path", "X-Query"] : []),
  ];
  const text = toLines(
    "vcl 4.1;",
    "import std;",
    "",
    toBackend(setup),
    purge.from.length > 0 && `acl purgers { ${purge.from.map(toNetwork).join(" ")} }`,
    "",
    toReceive(setup, marks),
    toFetch(setup),
    toAnswers(setup, marks),
  );
  return { files: [{ path: "/etc/varnish/default.vcl", text }], left: [] };
}

const toBackend = ({ origin, longestFetch }: CacheSetup): string[] => [
  "backend origin {",
  `  .host = ${quote(origin.host)};`,
  `  .port = "${origin.port}";`,
  `  .first_byte_timeout = ${Math.max(1, Math.floor(longestFetch / 2))}s;`,
  `  .between_bytes_timeout = ${Math.max(1, Math.floor(longestFetch / 4))}s;`,
  "}",
];

/** What is done with a request before copies are looked for. @param marks headers of our own, which nobody else may set */
function toReceive(setup: CacheSetup, marks: readonly string[]): string[] {
  const { missing, redirects, leadsToHttps, keepsQueries } = setup;
  return [
    "sub vcl_recv {",
    "  set req.http.Host = std.tolower(req.http.Host);",
    ...marks.map((name) => `  unset req.http.${name};`),
    ...toPurge(setup),
    '  if (req.method != "GET" && req.method != "HEAD") { return (synth(405)); }',
    ...(missing ? AGAIN : []),
    ...(leadsToHttps ? TO_HTTPS : []),
    ...(redirects.length > 0
      ? [
          '  set req.http.X-Path = regsub(req.url, "\\?.*$", "");',
          '  set req.http.X-Query = regsub(req.url, "^[^?]*", "");',
          ...redirects.flatMap(toRedirect),
        ]
      : []),
    ...(keepsQueries
      ? []
      : ["  # One copy for all queries.", '  set req.url = regsub(req.url, "\\?.*$", "");']),
    "}",
  ];
}

const AGAIN = [
  "  # Asked again, for the page that stands for what is missing.",
  "  if (req.restarts > 0) { return (hash); }",
  "  unset req.http.X-Stands-As;",
];
const TO_HTTPS = [
  '  if (req.http.X-Forwarded-Proto == "http") {',
  '    set req.http.X-Leads-To = "https://" + req.http.Host + req.url;',
  "    return (synth(301));",
  "  }",
];

/** Types that are worth it. */
const COMPRESSED = "^(text/|application/(javascript|json|xml|manifest)|[a-z./-]+[+](json|xml))";

/** What is done with answers: of the origin, and to visitors. */
function toAnswers({ purge, headers, missing }: CacheSetup, marks: readonly string[]): string[] {
  const hasPatterns = purge.patterns !== "none";
  const own = [
    ...Object.entries(headers).map(([name, value]) => `  set resp.http.${name} = ${quote(value)};`),
    ...(hasPatterns ? ["  unset resp.http.X-Edge-Host;", "  unset resp.http.X-Edge-Url;"] : []),
  ];
  const call = own.length > 0 ? ["  call set_headers;"] : [];
  const toSub = (name: string, lines: readonly string[]): string[] =>
    lines.length === 0 ? [] : [`sub ${name} {`, ...lines, "}"];
  return [
    ...toSub("vcl_backend_response", [
      "  # What failed is not held.",
      "  if (beresp.status >= 400) {",
      "    set beresp.ttl = 0s;",
      "    set beresp.grace = 0s;",
      "  }",
      `  if (beresp.http.Content-Type ~ "${COMPRESSED}") { set beresp.do_gzip = true; }`,
      ...(hasPatterns ? BAN_MARKS : []),
    ]),
    ...toSub("set_headers", own),
    ...toSub("vcl_deliver", [...(missing ? toMissing(missing) : []), ...call]),
    ...toSub("vcl_synth", [...call, ...(marks.length > 0 ? LEADING : [])]),
  ];
}

const BAN_MARKS = [
  "  set beresp.http.X-Edge-Host = bereq.http.X-Edge-Host;",
  "  set beresp.http.X-Edge-Url = bereq.http.X-Edge-Url;",
];
const LEADING = [
  "  if (req.http.X-Leads-To) {",
  "    set resp.http.Location = req.http.X-Leads-To;",
  '    synthetic("");',
  "    return (deliver);",
  "  }",
];

const toNetwork = (network: string): string => {
  const [address = "", bits] = network.split("/");
  return bits === undefined ? `"${address}";` : `"${address}"/${bits};`;
};

function toPurge({ purge }: CacheSetup): string[] {
  const { header, from, patterns } = purge;
  const isStranger = from.length > 0 ? "client.ip !~ purgers || " : "";
  const which = patterns === "ban" ? 'req.method == "PURGE" || req.method == "BAN"' : 'req.method == "PURGE"';
  // Of two equal bans the older is dropped: none is like another.
  const ban = (url: string): string =>
    `std.ban("obj.http.X-Edge-Host == " + req.http.Host + " && obj.http.X-Edge-Url ~ " + ${url} + " && obj.http.X-Edge-Host != " + req.xid)`;
  return [
    `  if (${which}) {`,
    `    if (${isStranger}req.http.${header} != ${quote(TOKEN)}) { return (synth(403)); }`,
    ...(patterns === "path"
      ? [
          '    if (req.url ~ "\\*$") {',
          '      set req.http.X-Ban-Url = "^" + regsuball(regsub(req.url, "\\*$", ""), "([][\\\\^$.|?+(){}*])", "\\\\\\1");',
          `      if (${ban("req.http.X-Ban-Url")}) { return (synth(200)); }`,
          "      return (synth(400));",
          "    }",
        ]
      : []),
    ...(patterns === "ban"
      ? [
          '    if (req.method == "PURGE") { return (purge); }',
          `    if (${ban("req.http.X-Ban-Url")}) { return (synth(200)); }`,
          "    return (synth(400));",
        ]
      : ["    return (purge);"]),
    "  }",
  ];
}

function toRedirect({ address, isTree, status, before, carriesRest, join, after }: LedAddress): string[] {
  const pattern = `"^${toPattern(address)}"`;
  const query = join === "?" ? "req.http.X-Query" : 'regsub(req.http.X-Query, "^\\?", "&")';
  const parts = [
    quote(before),
    ...(carriesRest ? [`regsub(req.http.X-Path, ${pattern}, "")`] : []),
    query,
    ...(after === "" ? [] : [quote(after)]),
  ];
  return [
    `  if (req.http.X-Path ${isTree ? `~ ${pattern}` : `== ${quote(address)}`}) {`,
    `    set req.http.X-Leads-To = ${parts.join(" + ")};`,
    `    return (synth(${status}));`,
    "  }",
  ];
}

/** What the origin is asked for is not always what copies are held under. */
function toFetch({ origin, root, purge }: CacheSetup): string[] {
  const lines = [
    ...(purge.patterns === "none"
      ? []
      : [
          "  # Bans find copies by what visitors asked for.",
          "  set bereq.http.X-Edge-Host = bereq.http.Host;",
          "  set bereq.http.X-Edge-Url = bereq.url;",
        ]),
    ...(root
      ? [`  if (bereq.url ~ "^${toPattern(root.address)}(\\?|$)") { set bereq.url = ${quote(root.page)}; }`]
      : []),
    ...(origin.path === "" ? [] : [`  set bereq.url = ${quote(origin.path)} + bereq.url;`]),
    ...(origin.name === undefined ? [] : [`  set bereq.http.Host = ${quote(origin.name)};`]),
  ];
  return lines.length === 0 ? [] : ["sub vcl_backend_fetch {", ...lines, "}"];
}

function toMissing({ page, entry, endings }: NonNullable<CacheSetup["missing"]>): string[] {
  const route =
    entry === undefined
      ? []
      : [
          `    if (req.url !~ "(?i)\\.(${endings.join("|")})(\\?|$)") {`,
          '      set req.http.X-Stands-As = "200";',
          `      set req.url = ${quote(entry)};`,
          "    }",
        ];
  return [
    "  if (req.restarts == 0 && (resp.status == 403 || resp.status == 404)) {",
    '    set req.http.X-Stands-As = "404";',
    ...(entry === undefined ? [`    set req.url = ${quote(page)};`] : []),
    ...route,
    ...(entry === undefined
      ? []
      : [`    if (req.http.X-Stands-As == "404") { set req.url = ${quote(page)}; }`]),
    "    return (restart);",
    "  }",
    '  if (req.http.X-Stands-As == "404" && resp.status == 200) { set resp.status = 404; }',
  ];
}
