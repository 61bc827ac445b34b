import type { CacheSetup, LedAddress } from "../../core/cache-setup/cache-setup.ts";
import { toLines, TOKEN, toPattern, type LeftToOthers, type PrintedSetup } from "./set-up.ts";

const FOLDER = "/etc/squid";
/** A value of squid.conf; a `%` in it stands for itself. */
const quote = (text: string): string => `"${text.replace(/["\\]/g, "\\$&").replaceAll("%", "%%")}"`;

/**
 * A complete set-up for Squid 5 and later. It has no way to make one form of `Accept-Encoding` before it looks into its cache:
 * visitors come to a port that holds nothing, and that asks a second port.
 */
export function toSquid(setup: CacheSetup): PrintedSetup {
  const { purge, headers, missing, keepsQueries, leadsToHttps, longestFetch } = setup;
  const turns = toTurns(setup);
  const text = toLines(
    toPeers(setup),
    "# One form: one copy.",
    "request_header_access Accept-Encoding deny all",
    !keepsQueries && [
      "# One copy for all queries.",
      `store_id_program /bin/sed -u -E -f ${FOLDER}/one-for-all-queries.sed`,
      "store_id_children 8 startup=2 idle=1",
    ],
    "# What failed is not held.",
    "acl failed http_status 400-599",
    "store_miss deny failed",
    `read_timeout ${Math.max(1, Math.floor(longestFetch / 2))} seconds`,
    "",
    "acl purge method PURGE",
    purge.from.length > 0 && `acl purgers src ${purge.from.join(" ")}`,
    `acl token req_header ${purge.header} ^${TOKEN}$`,
    `http_access allow purge ${purge.from.length > 0 ? "purgers " : ""}token`,
    "http_access deny purge",
    "acl reads method GET HEAD",
    "http_access deny !reads",
    leadsToHttps && [
      "acl insecure req_header X-Forwarded-Proto ^http$",
      "deny_info 301:https://%H%R insecure",
      "http_access deny front insecure",
    ],
    "http_access allow all",
    turns.length > 0 && [
      "",
      `url_rewrite_program /bin/sed -u -E -f ${FOLDER}/addresses.sed`,
      "url_rewrite_children 8 startup=2 idle=1",
      "url_rewrite_access allow front",
      "url_rewrite_access deny all",
    ],
    Object.entries(headers).flatMap(([header, value]) => [
      `reply_header_access ${header} deny all`,
      `reply_header_add ${header} ${quote(value)}`,
    ]),
  );
  const left: LeftToOthers[] = [
    ...(missing ? (["missing-pages"] as const) : []),
    ...(setup.isStoredCompressed ? [] : (["compression"] as const)),
  ];
  return {
    files: [
      { path: `${FOLDER}/squid.conf`, text },
      ...(keepsQueries ? [] : [{ path: `${FOLDER}/one-for-all-queries.sed`, text: toLines(ONE_FOR_ALL) }]),
      ...(turns.length > 0 ? [{ path: `${FOLDER}/addresses.sed`, text: toLines(turns) }] : []),
    ],
    left,
  };
}

/** Two ports of one server: the front one asks the inner one, and that asks the origin. */
function toPeers({ origin, port }: CacheSetup): string[] {
  const inner = port + 1;
  const tls = origin.protocol === "https" ? " tls" : "";
  const name = origin.name === undefined ? "" : ` forceddomain=${origin.name.replace(/:\d+$/, "")}`;
  return [
    "# Visitors come to the first port, which takes their Accept-Encoding away; the second one holds the copies.",
    "# After a start the first port takes the second for dead until it asks it again: it answers 502 for a second.",
    "# So ask for a page, wait two seconds, and ask once more before visitors do.",
    "visible_hostname edge",
    `http_port ${port} accel vhost`,
    `http_port 127.0.0.1:${inner} accel vhost`,
    `acl front localport ${port}`,
    `cache_peer 127.0.0.1 parent ${inner} 0 no-query no-digest originserver name=self`,
    `cache_peer ${origin.host} parent ${origin.port} 0 no-query no-digest originserver name=origin${name}${tls}`,
    "cache_peer_access self allow front",
    "cache_peer_access self deny all",
    "cache_peer_access origin deny front",
    "cache_peer_access origin allow all",
    "never_direct allow all",
    "via off",
    "cache deny front",
  ];
}

const ONE_FOR_ALL = ["s#^([^ ?]+)\\?[^ ]*( .*)?$#OK store-id=\\1#", "t", "s#.*#ERR#"];

const toReplacement = (text: string): string => text.replace(/[\\&#]/g, "\\$&").replaceAll('"', "%22");
const toFind = (text: string): string => toPattern(text).replaceAll("#", "\\#");

/** A helper's lines: redirects, the first page, and what stands before paths at the origin. The first that matches counts. */
function toTurns({ redirects, root, origin }: CacheSetup): string[] {
  const lines = redirects.flatMap(toRedirect);
  const before = toReplacement(origin.path);
  if (root)
    lines.push(
      `s#^([^ /]*//[^ /]+)${toFind(root.address)}(\\?[^ ]*)?( .*)?$#OK rewrite-url="\\1${before}${toReplacement(root.page)}\\2"#`,
      "t",
    );
  if (origin.path !== "")
    lines.push(`s#^([^ /]*//[^ /]+)([^ "]*)( .*)?$#OK rewrite-url="\\1${before}\\2"#`, "t");
  return lines.length === 0 ? [] : [...lines, "s#.*#ERR#"];
}

/** Copies at an address that leads elsewhere can still be forgotten. */
const VISITS = " [^ ]+ [^ ]+ (GET|HEAD)( .*)?$";

function toRedirect({ address, isTree, status, before, carriesRest, join, after }: LedAddress): string[] {
  const from = `^[^ /]*//[^ /]+${toFind(address)}${isTree ? '([^ ?"]*)' : "()"}`;
  const target = `OK status=${status} url="${toReplacement(before)}${carriesRest ? "\\1" : ""}`;
  const end = `${toReplacement(after)}"`;
  return [
    `s#${from}\\??${VISITS}#${target}${end}#`,
    "t",
    `s#${from}\\?([^ "]+)${VISITS}#${target}${toReplacement(join)}\\2${end}#`,
    "t",
  ];
}
