/** Names that look alike and must not be mixed up. They are strings at run time. */

/** The name of an object below the destination's prefix, as stored (not percent-encoded): `news/index.html`. */
export type ObjectKey = string & { readonly brand?: "ObjectKey" };

/** SHA-256 in lower-case hex, 64 digits. */
export type Sha256 = string & { readonly brand?: "Sha256" };

/** SHA-256 of nothing. */
export const NO_CONTENT: Sha256 = "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";

/** A URL path as browsers send it, percent-encoded (RFC 3986 §3.3), starting with a slash. */
export type UrlPath = string & { readonly brand?: "UrlPath" };

/** The part of a destination that is ours alone: pointer, waybills, vault. */
export const STATE_PREFIX = ".courier/";
export const POINTER_KEY = ".courier/current.json";
export const IMMUTABLE_KEY = ".courier/immutable.json.gz";

/** How copies are cleared at caches, as it was found out. */
export const EDGE_WAYS_KEY = ".courier/edge-ways.json";
export const HOLD_KEY = ".courier/hold.json";
export const OPEN_PREFIX = ".courier/open/";

/** The record of a run that has not ended. */
export const openKey = (run: string): ObjectKey => `${OPEN_PREFIX}${run}.ndjson.gz`;

export const RELEASES_PREFIX = ".courier/releases/";

/** The key of a release's waybill; the run makes it unique, so that two runs never write the same one. */
export const waybillKey = (release: number, run: string): ObjectKey =>
  `${RELEASES_PREFIX}${release}-${run}.ndjson.gz`;

/** Where a content waits while a retained release needs it, by the hash of its stored bytes. */
export const vaultKey = (storedHash: Sha256): ObjectKey => `${STATE_PREFIX}vault/${storedHash}`;

/** Empty objects named after contents that were removed for good: the list tells them, and a lost pointer takes none along. */
export const FORGOTTEN_PREFIX = ".courier/forgotten/";

/** The key of the empty object that says of a content: removed for good. */
export const forgottenKey = (storedHash: Sha256): ObjectKey => `${FORGOTTEN_PREFIX}${storedHash}`;

/** Whether a key is in the tool's own part of a destination. */
export const isStateKey = (key: ObjectKey): boolean => key.startsWith(STATE_PREFIX);

/** The longest key that stores take, the destination's prefix included, in bytes of UTF-8. */
export const LONGEST_KEY = 1024;
/** The longest prefix: the tool's own part needs room for its names. Bytes of UTF-8. */
export const LONGEST_PREFIX = 512;

/** Whether an object of a site can have this key: not in the tool's own part, and nothing that climbs. */
export const isSiteKey = (key: ObjectKey): boolean =>
  key !== "" && key.length <= LONGEST_KEY && !isStateKey(key) && !/(^|\/)\.\.?(\/|$)/.test(key);

/** Orders by code units, the same everywhere: negative, 0 or positive. */
export const byText = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** The order of stores' lists: that of the keys' UTF-8, which is that of their code points. */
export function byUtf8(a: string, b: string): number {
  const length = Math.min(a.length, b.length);
  for (let at = 0; at < length; at++) {
    const [one, other] = [a.charCodeAt(at), b.charCodeAt(at)];
    if (one !== other) return toRank(one) - toRank(other);
  }
  return a.length - b.length;
}

/** Halves of code points above U+FFFF come after all others. */
const toRank = (unit: number): number =>
  unit < 0xd800 ? unit : unit < 0xe000 ? unit + 0x2000 : unit - 0x800;

/** Reaching it is a fault of ours: a closed set got a member that a decision does not know. */
export function assertNever(value: never): never {
  throw new Error(`unexpected ${JSON.stringify(value)}`);
}
