/**
 * What a line of an access log says. Who asked is never read: neither addresses nor names of visitors stand here, so none
 * can be kept or shown.
 */
export interface LogLine {
  /** Milliseconds since 1970. */
  readonly atMs: number;
  readonly method: string;
  /** As it was asked for, percent-encoded, without the query; of a store's log the key with a slash before it. */
  readonly path: string;
  readonly hasQuery: boolean;
  readonly status: number;
  /** Sent to the visitor; 0 where the log does not say. */
  readonly bytes: number;
  /** Until the answer was sent; undefined: not said. */
  readonly seconds: number | undefined;
  readonly cache: CacheAnswer;
  /** As it was sent; empty: none. */
  readonly referrer: string;
  /** As it was sent; empty: none. */
  readonly agent: string;
}

/** Reads a log line by line. @returns undefined: no request stands there; `"unreadable"`: something else than a log's line */
export type LineReader = (line: string) => LogLine | "unreadable" | undefined;

/**
 * Where an answer came from: `hit` out of the cache; `refreshed` out of the cache once the origin had said that it still
 * holds; `miss` from the origin; `made` by the edge itself (a redirect, a refusal); `unknown`: the log does not say.
 */
export type CacheAnswer = "hit" | "refreshed" | "miss" | "made" | "unknown";

/** Words of caches, by what they mean. The order counts: the first that a text holds decides. */
const WORDS: readonly (readonly [RegExp, CacheAnswer])[] = [
  // RFC 9211: a request that went on to the origin says why.
  [/fwd=stale.*fwd-status=304|\bfwd-status=304/, "refreshed"],
  [/\bfwd=/, "miss"],
  [/refresh_?hit|revalidated|refresh_unmodified|ims_hit|reval_hit/, "refreshed"],
  [/limit|capacity|error|redirect|denied|synth|generated/, "made"],
  [/hit|stale|updating/, "hit"],
  [/miss|expired|bypass|pass|dynamic|pipe|refresh/, "miss"],
  [/none/, "made"],
];

/** What a cache calls its answer, in whatever words: `Hit`, `TCP_MEM_HIT/200`, `edge; fwd=uri-miss` (RFC 9211). */
export function readCacheWord(text: string): CacheAnswer {
  const known = seen.get(text);
  if (known !== undefined) return known;
  const lower = text.toLowerCase();
  const found =
    lower === "" || lower === "-" ? "unknown" : (WORDS.find(([word]) => word.test(lower))?.[1] ?? "unknown");
  // `hit; ttl=17` has as many forms as seconds.
  if (seen.size > MOST_SEEN) seen.clear();
  seen.set(toOwn(text), found);
  return found;
}

const seen = new Map<string, CacheAnswer>();
const MOST_SEEN = 2000;

/** A target of a request without its query; a proxy's holds the whole address. */
export function splitTarget(target: string): Pick<LogLine, "path" | "hasQuery"> {
  const local = target.startsWith("/") ? target : target.replace(/^https?:\/\/[^/?#]*/i, "");
  const query = local.indexOf("?");
  const path = query === -1 ? local : local.slice(0, query);
  return { path: path === "" ? "/" : path, hasQuery: query !== -1 && query < local.length - 1 };
}

/**
 * A copy of a text that stands by itself. A piece of a line is kept by engines as a view into all that was read with it, so
 * that what is kept for longer would keep the whole log in memory.
 */
export const toOwn = (text: string): string => text.split("").join("");

/** A number of a log; 0 where there is none. */
export function toNumber(text: string): number {
  const number = Number(text);
  return number >= 0 && number <= Number.MAX_SAFE_INTEGER ? number : 0;
}

/** A text of a log; a dash means that there is none. */
export const toText = (text: string): string => (text === "-" ? "" : text);
