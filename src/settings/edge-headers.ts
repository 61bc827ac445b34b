/** Values of headers that an edge has a place of its own for: it knows these and no others. */
const VALUES: Readonly<Record<string, readonly [fits: RegExp, shown: string]>> = {
  "strict-transport-security": [
    /^\s*max-age\s*=\s*"?\d{1,10}"?(\s*;\s*(includesubdomains|preload))*\s*;?\s*$/i,
    "max-age=31536000, with includeSubDomains and preload by choice",
  ],
  "x-content-type-options": [/^\s*nosniff\s*$/i, "nosniff"],
  "x-frame-options": [/^\s*(deny|sameorigin)\s*$/i, "DENY or SAMEORIGIN"],
  "x-xss-protection": [/^\s*(0|1(\s*;\s*mode\s*=\s*block)?)\s*$/i, "0, 1, or 1; mode=block"],
  "referrer-policy": [
    /^\s*(no-referrer|no-referrer-when-downgrade|origin|origin-when-cross-origin|same-origin|strict-origin|strict-origin-when-cross-origin|unsafe-url)\s*$/i,
    "one policy, such as strict-origin-when-cross-origin",
  ],
};

/** Headers that say how a message is sent, or what the edge says itself. */
const OWN =
  /^(connection|content-length|date|host|keep-alive|server|trailer|transfer-encoding|upgrade|via|warning|age|etag|last-modified|location|vary|accept-ranges|cdn-loop|set-cookie)$/i;

/** What is wrong with a header that an edge is to set; undefined: nothing. */
export function findHeaderMistake(name: string, value: string): string | undefined {
  if (OWN.test(name)) return `${name} can't be set: it says how an answer is sent, or is the edge's own`;
  const known = VALUES[name.toLowerCase()];
  return known && !known[0].test(value) ? `${name}: an edge takes ${known[1]}` : undefined;
}

/** Headers that an object can carry; every other one belongs to the edge. */
export const CARRIED =
  /^(content-type|cache-control|content-encoding|content-disposition|content-language|expires|x-amz-meta-[a-z0-9-]+)$/i;
