import type { EdgeRules, PageAddresses, PreviewHosts } from "../model/edge-rules.ts";
import type { UrlPath } from "../model/names.ts";

/** What an edge does with a request before it looks at what it holds. */
export type Turned =
  | { readonly kind: "redirect"; readonly status: number; readonly location: string }
  /** `path` is what it looks for. */
  | { readonly kind: "goes-on"; readonly path: UrlPath };

/**
 * What the rules make of a request. The function that edges run does just the same (`function-code.ts`); a property test
 * holds the two together.
 * @param path percent-encoded, as the visitor sent it
 * @param query without its mark; empty: none
 * @param host the name that the visitor used, with or without a port
 */
export function applyRules(
  { basePath, apart, previews, redirects, pages }: EdgeRules,
  path: UrlPath,
  query = "",
  host = "",
): Turned {
  const own = toCanonical(path);
  if (own === undefined || !own.startsWith(basePath)) return { kind: "goes-on", path };
  const preview = previews && findPreview(host, previews);
  if (preview === undefined && apart.some((place) => own.startsWith(place)))
    return { kind: "goes-on", path: pages && own.endsWith("/") ? own + pages.indexName : path };
  for (const { address, leadsTo, status } of redirects) {
    const isTree = address.endsWith("*");
    const head = isTree ? address.slice(0, -1) : address;
    if (isTree ? !own.startsWith(head) : own !== head) continue;
    const target = isTree && leadsTo.endsWith("*") ? leadsTo.slice(0, -1) + own.slice(head.length) : leadsTo;
    return { kind: "redirect", status, location: withQuery(target, query) };
  }
  const found = pages && findPage(own.slice(basePath.length), pages);
  if (previews && preview !== undefined)
    return { kind: "goes-on", path: `${previews.path}${preview}/${found ?? own.slice(basePath.length)}` };
  return { kind: "goes-on", path: found === undefined ? path : basePath + found };
}

/** The name of the preview that a host name means; undefined: none. */
function findPreview(host: string, { before, after }: PreviewHosts): string | undefined {
  const own = host.toLowerCase().replace(/:\d+$/, "");
  const name = own.slice(before.length, own.length - after.length);
  return own === before + name + after && /^[a-z0-9-]+$/.test(name) ? name : undefined;
}

/** The path below the base path that an address stands for; undefined: the address itself. */
function findPage(
  rest: string,
  { others, indexName, folders, bare, entry, endings }: PageAddresses,
): string | undefined {
  const added = Object.hasOwn(others, rest) ? others[rest] : undefined;
  if (added !== undefined) return added === "" ? undefined : rest + added;
  if (rest === "") return indexName;
  const last = rest.slice(rest.lastIndexOf("/") + 1);
  const dot = last.lastIndexOf(".");
  if (entry !== undefined)
    return dot >= 0 && endings.includes(last.slice(dot + 1).toLowerCase()) ? undefined : entry;
  if (last === "") return folders ? rest + indexName : undefined;
  return dot >= 0 || bare === "" ? undefined : rest + bare;
}

/** Each part decoded and encoded again, so that one address has one spelling; undefined where its encoding is broken. */
export function toCanonical(path: UrlPath): UrlPath | undefined {
  try {
    return path
      .split("/")
      .map((part) =>
        encodeURIComponent(decodeURIComponent(part)).replace(
          /%(24|26|2B|2C|3A|3B|3D|40)/g,
          decodeURIComponent,
        ),
      )
      .join("/");
  } catch {
    return undefined;
  }
}

/** The query goes along; what comes after a `#` stays last. */
function withQuery(target: string, query: string): string {
  if (query === "") return target;
  const [head = "", hash] = target.split(/#(.*)/s);
  return `${head}${head.includes("?") ? "&" : "?"}${query}${hash === undefined ? "" : `#${hash}`}`;
}
