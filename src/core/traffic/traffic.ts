import type { Role } from "../model/role.ts";
import type { AgentKind } from "./agents.ts";
import type { CacheAnswer } from "./line.ts";

/** What was asked for: files by their role; `redirect`: sent elsewhere; `missing`: nothing there; `other`: no file of the site. */
export const TRAFFIC_GROUPS = [
  ...(["entry", "page", "fingerprinted", "asset", "worker", "document", "notFound"] satisfies Role[]),
  ...(["redirect", "missing", "other"] as const),
] as const;
export type TrafficGroup = (typeof TRAFFIC_GROUPS)[number];

/** Requests that belong together. */
export interface Sums {
  readonly requests: number;
  /** Sent to visitors. */
  readonly bytes: number;
  /** By where the answer came from. */
  readonly cache: Readonly<Record<CacheAnswer, number>>;
  /** Hits of all that were hits or misses, 0 to 1; absent: the log says nothing of it. */
  readonly hitRate?: number | undefined;
}

/** One address. */
export interface AddressSums extends Sums {
  readonly address: string;
  readonly group: TrafficGroup;
  /** Until the answer was sent, in seconds: the mean and the longest; absent: the log does not say. */
  readonly seconds?: { readonly mean: number; readonly most: number } | undefined;
}

/** What came and went in one span of time. */
export interface Span {
  /** When it begins, ISO 8601 UTC. */
  readonly at: string;
  readonly requests: number;
  readonly bytes: number;
  readonly hits: number;
  readonly misses: number;
  /** Answers 404 and 410. */
  readonly missing: number;
}

/** Requests for one address that answered 404 or 410. */
export interface MissingAddress {
  readonly address: string;
  readonly requests: number;
  /** Of these, by people. */
  readonly people: number;
  /** ISO 8601 UTC. */
  readonly first: string;
  readonly last: string;
  /** Pages that link there, the commonest first, without their queries. */
  readonly referrers: readonly {
    readonly address: string;
    readonly requests: number;
    readonly isOwn: boolean;
  }[];
}

/** Assets of one release that were let go of while somebody still asked for them. */
export interface LetGoAssets {
  /** The last release that listed them; absent: not known. */
  readonly release?: number | undefined;
  /** When it was superseded, ISO 8601 UTC; absent: not known. */
  readonly superseded?: string | undefined;
  readonly addresses: readonly MissingAddress[];
  readonly requests: number;
  readonly people: number;
  /** What `retain` would have had to be for the last of these requests by people, either of the two; absent: only others asked, or nobody knows. */
  readonly needed?: { readonly releases: number; readonly seconds: number } | undefined;
  /** Whether the release is still retained, so that they should stand. */
  readonly isRetained: boolean;
}

/** Something that is no asset and is in the site no more. */
export interface RemovedAddress extends MissingAddress {
  /** The last release that had it; absent: only the log knows that it once answered. */
  readonly release?: number | undefined;
  /** The release that removed it, and when, ISO 8601 UTC. */
  readonly removedBy?: { readonly release: number; readonly at: string } | undefined;
  /** Where a redirect could lead. */
  readonly leadsTo?: { readonly address: string; readonly because: "content" | "name" | "above" } | undefined;
}

/** What answers now and was missing when it was asked for. */
export interface LateAddress extends MissingAddress {
  /** The release that brought it; absent: it had been there all the time. */
  readonly since?: { readonly release: number; readonly at: string } | undefined;
}

/** What a delivery did to the hit rate. */
export interface Dip {
  readonly release: number;
  /** ISO 8601 UTC. */
  readonly at: string;
  /** Rates are 0 to 1. Absent: too little was asked for. */
  readonly before?: number | undefined;
  readonly lowest?: number | undefined;
  /** Until the rate was back where it had been; absent: it was not, before the next delivery or the log's end. */
  readonly recoveredSeconds?: number | undefined;
  /** Requests that went to the origin more than before. */
  readonly extraMisses: number;
}

/** Files that no cache can answer. */
export interface NeverHit {
  readonly group: TrafficGroup;
  /** The header that forbids it; absent: none does, and yet nothing was a hit. */
  readonly header?: string | undefined;
  readonly addresses: number;
  readonly example: string;
  readonly requests: number;
  readonly bytes: number;
  /** Of these, with a query. */
  readonly withQuery: number;
}

/** All that the logs tell of a site. */
export interface Traffic {
  /** Lines: requests that were counted, those by other methods than GET and HEAD, those of this tool, and what is no line of a log. */
  readonly lines: {
    readonly counted: number;
    readonly otherMethods: number;
    readonly own: number;
    readonly unreadable: number;
  };
  /** Of the first and the last request, ISO 8601 UTC; absent: there was none. */
  readonly from?: string | undefined;
  readonly until?: string | undefined;
  readonly all: Sums;
  readonly statuses: readonly { readonly status: number; readonly requests: number }[];
  readonly agents: readonly { readonly kind: AgentKind; readonly requests: number; readonly bytes: number }[];
  readonly groups: readonly (Sums & { readonly group: TrafficGroup })[];
  /** Those asked for most. */
  readonly addresses: readonly AddressSums[];
  /** Those that took longest, of what was asked for often enough. */
  readonly slowest: readonly AddressSums[];
  /** Other sites that lead here: their hosts. */
  readonly referrers: readonly { readonly host: string; readonly requests: number }[];
  readonly spanSeconds: number;
  readonly spans: readonly Span[];
  readonly missing: {
    readonly requests: number;
    readonly letGo: readonly LetGoAssets[];
    readonly removed: readonly RemovedAddress[];
    readonly late: readonly LateAddress[];
    readonly never: readonly MissingAddress[];
    /** Addresses that were never there: how many there are. */
    readonly neverAddresses: number;
    readonly neverRequests: number;
  };
  readonly deliveries: readonly Dip[];
  readonly neverHit: readonly NeverHit[];
}
