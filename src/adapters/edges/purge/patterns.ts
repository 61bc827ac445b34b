/**
 * The spellings under which browsers may ask for an address. They send what a link has; a few letters are encoded by some
 * who write links (RFC 3986 §3.3) and left alone by browsers (WHATWG URL, path percent-encode set), and caches hold both apart.
 */
export function toSpellings(address: string): string[] {
  const plain = address.replace(/%(5B|5D|7C|5E)/g, (escape) => decodeURIComponent(escape));
  return plain === address ? [address] : [address, plain];
}

/** A regular expression for everything that begins as a wildcard pattern does. */
export const toBanExpression = (pattern: string): string =>
  `^${pattern.slice(0, -1).replace(/[\\^$.|?+(){}[\]*]/g, "\\$&")}`;
