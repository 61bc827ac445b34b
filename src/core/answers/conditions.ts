/** Request headers by lower-case name, as far as answers depend on them. */
export type RequestHeaders = Readonly<Record<string, string | undefined>>;

/** What an answer can be told apart by. */
export interface Validators {
  /** With its quotes, and `W/` where it is weak. */
  readonly etag?: string | undefined;
  /** An HTTP date. */
  readonly lastModified?: string | undefined;
}

/** `send`: as if there were no condition. */
export type ConditionOutcome = "send" | "not-modified" | "failed";

/**
 * What becomes of a GET or HEAD whose answer would be 200, in the order in which conditions count (RFC 9110 §13.2.2).
 * `If-Range` is no part of it: see `countsForRange`.
 */
export function decideCondition(
  headers: RequestHeaders,
  { etag, lastModified }: Validators,
): ConditionOutcome {
  const match = headers["if-match"];
  const unmodified = toSeconds(headers["if-unmodified-since"]);
  const modified = toSeconds(lastModified);
  if (match !== undefined) {
    if (!names(match, etag, isStronglySame)) return "failed";
  } else if (unmodified !== undefined && modified !== undefined && modified > unmodified) return "failed";
  const noneMatch = headers["if-none-match"];
  if (noneMatch !== undefined) return names(noneMatch, etag, isWeaklySame) ? "not-modified" : "send";
  const since = toSeconds(headers["if-modified-since"]);
  return since !== undefined && modified !== undefined && modified <= since ? "not-modified" : "send";
}

/** Whether `Range` counts: `If-Range` is absent, or names just this answer (RFC 9110 §13.1.5). */
export function countsForRange(headers: RequestHeaders, { etag, lastModified }: Validators): boolean {
  const told = headers["if-range"];
  if (told === undefined) return true;
  return /^(W\/)?"/.test(told) ? etag !== undefined && isStronglySame(told, etag) : told === lastModified;
}

const ETAG = /(?:W\/)?"[^"]*"/g;

/** Whether a list of ETags, or `*`, names one (RFC 9110 §13.1.1). Stores are also asked with a bare one, without quotes. */
function names(list: string, etag: string | undefined, isSame: (a: string, b: string) => boolean): boolean {
  const told = list.trim();
  if (told === "*") return true;
  if (etag === undefined) return false;
  const listed = told.match(ETAG) ?? [`"${told}"`];
  return listed.some((one) => isSame(one, etag));
}

/** RFC 9110 §8.8.3.2. */
const isStronglySame = (a: string, b: string): boolean => a === b && !a.startsWith("W/");
const isWeaklySame = (a: string, b: string): boolean => toOpaque(a) === toOpaque(b);
const toOpaque = (etag: string): string => etag.replace(/^W\//, "");

/** An HTTP date (RFC 9110 §5.6.7); one that can't be read counts as absent. */
function toSeconds(date: string | undefined): number | undefined {
  const time = date === undefined ? NaN : Date.parse(date);
  return Number.isNaN(time) ? undefined : Math.floor(time / 1000);
}
