import type { Freshness } from "./freshness.ts";
import { largest } from "./largest.ts";
import type { Parcel } from "./parcel.ts";
import { isPageLike } from "./role.ts";

/** `Cache-Control` for a freshness (RFC 9111 §5.2.2; RFC 8246 for immutable). */
export function toCacheControl({ browser, edge, immutable }: Freshness): string {
  const directives = ["public", `max-age=${browser}`];
  if (edge !== browser) directives.push(`s-maxage=${edge}`);
  if (immutable === true) directives.push("immutable");
  else if (browser === 0) directives.push("must-revalidate");
  return directives.join(", ");
}

/**
 * How long an edge may reuse a response with this `Cache-Control`: s-maxage before max-age (RFC 9111 §5.2.2.10), and what
 * it may serve stale while it asks (RFC 5861 §3). Seconds; undefined: it says nothing.
 */
export function parseEdgeFreshness(cacheControl: string | undefined): number | undefined {
  if (/(^|[\s,])(no-store|no-cache|private)\b/i.test(cacheControl ?? "")) return 0;
  const fresh = readSeconds(cacheControl, "s-maxage") ?? readSeconds(cacheControl, "max-age");
  return withStale(fresh, cacheControl, /(^|[\s,])(must|proxy)-revalidate\b/i);
}

/** The same for a browser, to which s-maxage says nothing. */
export function parseBrowserFreshness(cacheControl: string | undefined): number | undefined {
  if (/(^|[\s,])(no-store|no-cache)\b/i.test(cacheControl ?? "")) return 0;
  return withStale(readSeconds(cacheControl, "max-age"), cacheControl, /(^|[\s,])must-revalidate\b/i);
}

/** What forbids to serve anything stale forbids it here as well. `s-maxage` should (RFC 9111 §5.2.2.10), and edges do otherwise. */
function withStale(
  fresh: number | undefined,
  cacheControl: string | undefined,
  forbidding: RegExp,
): number | undefined {
  const stale = readSeconds(cacheControl, "stale-while-revalidate") ?? 0;
  return stale === 0 || forbidding.test(cacheControl ?? "") ? fresh : (fresh ?? 0) + stale;
}

function readSeconds(cacheControl: string | undefined, name: keyof typeof SECONDS): number | undefined {
  const value = SECONDS[name].exec(cacheControl ?? "")?.[1];
  return value === undefined ? undefined : Number(value);
}

/** Directives that carry a number of seconds. */
const SECONDS = {
  "max-age": /(?:^|[\s,])max-age="?(\d+)/i,
  "s-maxage": /(?:^|[\s,])s-maxage="?(\d+)/i,
  "stale-while-revalidate": /(?:^|[\s,])stale-while-revalidate="?(\d+)/i,
} as const;

/**
 * The longest time, in seconds, for which somebody may still show a page of these without asking: an edge, or a browser that
 * nobody can call it back from. By the headers that it really has, which rules may have written by hand.
 */
export const longestPageFreshness = (parcels: readonly Pick<Parcel, "role" | "headers">[]): number =>
  largest(
    parcels
      .filter(({ role }) => isPageLike(role))
      .flatMap(({ headers: { "cache-control": said } }) => [
        parseEdgeFreshness(said) ?? 0,
        parseBrowserFreshness(said) ?? 0,
      ]),
  );
