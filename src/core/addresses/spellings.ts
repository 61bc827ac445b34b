import type { UrlPath } from "../model/names.ts";

/**
 * The spellings under which browsers may ask for an address. They send what a link has; a few letters are encoded by some
 * who write links (RFC 3986 §3.3) and left alone by browsers (WHATWG URL, path percent-encode set), and caches hold both apart.
 */
export function listSpellings(address: UrlPath): UrlPath[] {
  const plain = address.replace(/%(5B|5D|7C|5E)/g, (escaped) => decodeURIComponent(escaped));
  return plain === address ? [address] : [address, plain];
}
