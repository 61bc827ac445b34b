import type { ObjectKey, UrlPath } from "../model/names.ts";
import { encodeKey, parseAddress, type AddressRules } from "./addresses.ts";

/** What an endpoint does about addresses, as far as it decides which file answers. */
export type ResolveRules = Pick<AddressRules, "basePath" | "indexName">;

export interface Resolver {
  /** Whether there is a file under a key. */
  readonly has: (key: ObjectKey) => boolean;
  /** Whether a page also counts under its name without the ending: `/about` for `about.html`. */
  readonly bare: boolean;
}

/**
 * Which file answers at an address: one of just that name, the index page of that folder, or a page without its ending.
 * @param address percent-encoded, with or without a query
 * @returns undefined where none does, where the encoding is broken, or where it lies outside the base path
 */
export function resolve(
  address: UrlPath,
  { basePath, indexName }: ResolveRules,
  resolver: Resolver,
): ObjectKey | undefined {
  const key = parseAddress(address, basePath);
  return key === undefined ? undefined : resolveKey(key, indexName, resolver);
}

/** The same for a name that a person typed: a key (`news/index.html`, `./news`) or an address (`/news/`). */
export function resolveName(name: string, rules: ResolveRules, resolver: Resolver): ObjectKey | undefined {
  const plain = name.replace(/^\.\//, "");
  const found = resolveKey(plain, rules.indexName, resolver);
  return found ?? (name.startsWith("/") ? resolve(name, rules, resolver) : undefined);
}

function resolveKey(key: ObjectKey, indexName: string, { has, bare }: Resolver): ObjectKey | undefined {
  const isFolder = key === "" || key.endsWith("/");
  const candidates = [
    key,
    isFolder ? key + indexName : `${key}/${indexName}`,
    ...(bare ? [isFolder ? `${key.slice(0, -1)}.html` : `${key}.html`] : []),
  ];
  return candidates.find(has);
}

/** What a file says of where it leads. */
export interface Written {
  readonly url: string;
  /** What it is resolved against, where the file names something else than its own address. */
  readonly base?: string | undefined;
}

const NOWHERE = "http://site.invalid";

/**
 * The address within the site that a reference means, from the address at which its file answers (RFC 3986 §5, as browsers
 * do it).
 * @param origin the one that visitors use, where it is known: `https://www.pelicansound.example`
 * @returns undefined where it leads out of the site, or is no address
 */
export function resolveReference(
  { url, base }: Written,
  from: ObjectKey,
  basePath: UrlPath,
  origin = NOWHERE,
): UrlPath | undefined {
  try {
    const own = new URL(basePath + encodeKey(from), origin);
    const target = new URL(url, base === undefined ? own : new URL(base, own));
    const isOurs = target.origin === own.origin && target.pathname.startsWith(basePath);
    return isOurs ? target.pathname : undefined;
  } catch {
    return undefined;
  }
}
