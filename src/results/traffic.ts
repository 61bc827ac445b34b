import * as z from "zod";
import type { RetentionRule } from "../core/history/retention.ts";
import { AGENT_KINDS } from "../core/traffic/agents.ts";
import { TRAFFIC_GROUPS, type Traffic } from "../core/traffic/traffic.ts";

const count = z.int().min(0);
const share = z.number().min(0).max(1);
/** ISO 8601 UTC. */
const time = z.string();
const group = z.enum(TRAFFIC_GROUPS);

const sums = {
  requests: count,
  bytes: count,
  /** By where the answer came from: out of the cache, out of it once the origin had been asked, from the origin, made by the edge. */
  cache: z.strictObject({ hit: count, refreshed: count, miss: count, made: count, unknown: count }),
  /** Hits of all that were hits or misses, 0 to 1. Absent: the log does not say. */
  hitRate: share.optional(),
};

const address = z.strictObject({
  address: z.string(),
  group,
  ...sums,
  /** Until the answer was sent. Absent: the log does not say. */
  seconds: z.strictObject({ mean: z.number(), most: z.number() }).optional(),
});

const missing = {
  address: z.string(),
  requests: count,
  /** Requests by people, and by those of whom nobody knows. */
  people: count,
  first: time,
  last: time,
  /** Pages that link there, without their queries; `isOwn`: pages of the site. */
  referrers: z.array(z.strictObject({ address: z.string(), requests: count, isOwn: z.boolean() })),
};

const made = z.strictObject({ release: count, at: time });

/** `traffic` */
export const trafficResultSchema = z.strictObject({
  destination: z.string(),
  /** The path of the site's own address, a slash at both ends. */
  basePath: z.string(),
  /** The current release; 0: nothing was delivered. */
  release: count,
  /** Names of the logs that were read. */
  logs: z.array(z.string()),
  /** Those that end in the middle. */
  cut: z.array(z.string()),
  /** How long releases are retained, as the settings say. */
  retain: z.strictObject({ releases: count, seconds: z.number() }),
  /** Requests that were counted, those by other methods than GET and HEAD, those of this tool, and lines of no log. */
  lines: z.strictObject({ counted: count, otherMethods: count, own: count, unreadable: count }),
  /** The first request, ISO 8601 UTC. */
  from: time.optional(),
  /** The last request, ISO 8601 UTC. */
  until: time.optional(),
  all: z.strictObject(sums),
  statuses: z.array(z.strictObject({ status: count, requests: count })),
  agents: z.array(z.strictObject({ kind: z.enum(AGENT_KINDS), requests: count, bytes: count })),
  /** By role, with what was sent elsewhere, missing, or no file of the site. */
  groups: z.array(z.strictObject({ group, ...sums })),
  /** Those asked for most. */
  addresses: z.array(address),
  /** Those that took longest, of what was asked for five times or more. */
  slowest: z.array(address),
  /** Hosts of other sites that lead here. */
  referrers: z.array(z.strictObject({ host: z.string(), requests: count })),
  spanSeconds: z.number(),
  /** What came and went over time; spans without a request are left out. */
  spans: z.array(
    z.strictObject({ at: time, requests: count, bytes: count, hits: count, misses: count, missing: count }),
  ),
  /** What answered 404 or 410. */
  missing: z.strictObject({
    requests: count,
    /** Assets of releases that were let go of, by the last release that listed them. */
    letGo: z.array(
      z.strictObject({
        /** Absent: not known. */
        release: count.optional(),
        superseded: time.optional(),
        addresses: z.array(z.strictObject(missing)),
        requests: count,
        people: count,
        /** What `retain` would have had to be; either of the two is enough. Absent: only others than people asked, or nobody knows. */
        needed: z.strictObject({ releases: count, seconds: count }).optional(),
        /** The release is still retained, so that its assets should stand. */
        isRetained: z.boolean(),
      }),
    ),
    /** What is in the site no more, and still asked for. */
    removed: z.array(
      z.strictObject({
        ...missing,
        /** The last release that had it. Absent: only the log knows that it once answered. */
        release: count.optional(),
        removedBy: made.optional(),
        /** Where a redirect could lead: to the same content, to a page of that name, or one level up. */
        leadsTo: z
          .strictObject({ address: z.string(), because: z.enum(["content", "name", "above"]) })
          .optional(),
      }),
    ),
    /** What answers now. */
    late: z.array(
      z.strictObject({
        ...missing,
        /** The release that brought it. Absent: it had been there all the time. */
        since: made.optional(),
      }),
    ),
    /** What never was there, the commonest. */
    never: z.array(z.strictObject(missing)),
    neverAddresses: count,
    neverRequests: count,
  }),
  /** What each delivery did to the hit rate. */
  deliveries: z.array(
    z.strictObject({
      release: count,
      at: time,
      /** In the hour before. Absent: too little was asked for. */
      before: share.optional(),
      lowest: share.optional(),
      /** Until the rate was back. Absent: it was not, before the next delivery or the log's end. */
      recoveredSeconds: z.number().optional(),
      /** Requests that went to the origin more than before. */
      extraMisses: count,
    }),
  ),
  /** Files that were never a hit, by the header that forbids it. */
  neverHit: z.array(
    z.strictObject({
      group,
      /** Absent: none forbids it. */
      header: z.string().optional(),
      addresses: count,
      example: z.string(),
      requests: count,
      bytes: count,
      withQuery: count,
    }),
  ),
});

/** The same as data that nobody changes. */
export interface TrafficResult extends Traffic {
  readonly destination: string;
  readonly basePath: string;
  readonly release: number;
  readonly logs: readonly string[];
  readonly cut: readonly string[];
  readonly retain: { readonly releases: number; readonly seconds: number };
}

interface TrafficFacts extends Pick<TrafficResult, "destination" | "basePath" | "release" | "logs" | "cut"> {
  readonly retention: RetentionRule;
}

/** The result of `traffic`. */
export const toTrafficResult = (
  traffic: Traffic,
  { retention: { releases, forSeconds }, ...facts }: TrafficFacts,
): TrafficResult => ({ ...facts, retain: { releases, seconds: forSeconds }, ...traffic });
