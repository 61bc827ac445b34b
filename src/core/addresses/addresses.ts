import type { ObjectKey, UrlPath } from "../model/names.ts";

/** The forms under which an index page answers. */
export const PAGE_FORMS = ["file", "folder", "bare"] as const;
type PageForm = (typeof PAGE_FORMS)[number];

export interface AddressRules {
  /** The forms promised for `x/index.html`; `x.html` has its own name and, by choice, the bare one. */
  readonly forms: readonly PageForm[];
  /** The path of the destination's URL, with a slash at both ends: `/` or `/shop/`. */
  readonly basePath: UrlPath;
  /** The name of index pages, from the entry page: `index.html`. */
  readonly indexName: string;
}

/**
 * All addresses by which visitors reach an object, its own name first. An index page always counts under its folder's
 * address and its own name, whatever is promised: an edge may hold either.
 */
export function listAddresses(key: ObjectKey, { forms, basePath, indexName }: AddressRules): UrlPath[] {
  const own = basePath + encodeKey(key);
  const bare = forms.includes("bare");
  if (key === indexName) return [own, basePath];
  if (key.endsWith(`/${indexName}`)) {
    const folder = own.slice(0, -encodeKey(indexName).length);
    return bare ? [own, folder, folder.slice(0, -1)] : [own, folder];
  }
  return bare && key.endsWith(".html") ? [own, own.slice(0, -".html".length)] : [own];
}

/**
 * Percent-encodes a key as browsers send it in a path: UTF-8, upper-case digits, nothing encoded that a path may hold
 * (RFC 3986 §3.3 pchar).
 */
export function encodeKey(key: ObjectKey): string {
  // encodeURIComponent leaves only unreserved letters and !'()*; a path may also hold the other sub-delims, ':' and '@'.
  return key
    .split("/")
    .map((segment) =>
      encodeURIComponent(segment.toWellFormed()).replace(/%(24|26|2B|2C|3A|3B|3D|40)/g, decodeURIComponent),
    )
    .join("/");
}

/** The key that an address names, undefined where its encoding is broken or it lies outside the base path. */
export function parseAddress(address: UrlPath, basePath: UrlPath): ObjectKey | undefined {
  const [path = ""] = address.split(/[?#]/, 1);
  if (!path.startsWith(basePath)) return undefined;
  try {
    return decodeURIComponent(path.slice(basePath.length));
  } catch {
    return undefined;
  }
}

/** The path of a URL with a slash at both ends. */
export function toBasePath(url: string | undefined): UrlPath {
  const path = url === undefined ? "/" : new URL(url).pathname;
  return path.endsWith("/") ? path : `${path}/`;
}
