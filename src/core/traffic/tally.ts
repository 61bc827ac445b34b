import { AGENT_KINDS, isOwn, judgeAgent, type AgentKind } from "./agents.ts";
import { BoundedCounts, TimeSpans } from "./bounded.ts";
import type { CacheAnswer, LogLine } from "./line.ts";
import { readReferrer, type Referrer } from "./referrer.ts";
import type { SiteIndex, Standing } from "./site-index.ts";
import { TRAFFIC_GROUPS, type TrafficGroup } from "./traffic.ts";

/** How much is kept: what a site of a hundred thousand files needs, and not more for a log of any length. */
const [MOST_ADDRESSES, MOST_UNKNOWN, MOST_HOSTS, MOST_LINKS] = [50_000, 20_000, 500, 6];
const [MOST_SPANS, LEAST_SPAN_MS] = [4096, 1000];

/** Requests added up. */
export interface Count {
  count: number;
  bytes: number;
  readonly cache: Record<CacheAnswer, number>;
}

/** What is counted of one address. */
export interface AddressCount extends Count {
  readonly standing: Standing | undefined;
  group: TrafficGroup;
  withQuery: number;
  timed: number;
  seconds: number;
  mostSeconds: number;
  /** When it last answered with something, milliseconds since 1970; 0: never. */
  answeredMs: number;
  missing: MissingCount | undefined;
}

/** What is counted of an address that answered 404 or 410. */
export interface MissingCount {
  count: number;
  people: number;
  firstMs: number;
  lastMs: number;
  /** The last request by somebody with a browser; 0: none. */
  lastPersonMs: number;
  /** Absent: nobody came from anywhere. */
  referrers?: BoundedCounts<{ count: number; readonly isOwn: boolean }>;
}

/** What is counted of one span of time. */
export interface SpanCount {
  requests: number;
  bytes: number;
  hits: number;
  misses: number;
  missing: number;
}

const newCount = (): Count => ({
  count: 0,
  bytes: 0,
  cache: { hit: 0, refreshed: 0, miss: 0, made: 0, unknown: 0 },
});

/** Adds up the lines of logs, in a space that does not grow with them. Lines may come in any order. */
export class Tally {
  readonly all = newCount();
  readonly groups = toRecord(TRAFFIC_GROUPS, newCount);
  readonly statuses = new Map<number, number>();
  readonly agents = toRecord(AGENT_KINDS, newCount);
  readonly known = new BoundedCounts<AddressCount>(MOST_ADDRESSES);
  readonly unknown = new BoundedCounts<AddressCount>(MOST_UNKNOWN);
  readonly hosts = new BoundedCounts<{ count: number }>(MOST_HOSTS);
  readonly spans = new TimeSpans<SpanCount>(MOST_SPANS, LEAST_SPAN_MS, newSpan, joinSpans);
  otherMethods = 0;
  /** Requests of this tool. */
  own = 0;
  unreadable = 0;
  /** Milliseconds since 1970. */
  firstMs = Infinity;
  lastMs = -Infinity;

  /** @param ownHost of the site's own address; absent: no referrer counts as its own */
  constructor(
    readonly site: SiteIndex,
    private readonly ownHost?: string,
  ) {}

  add(line: LogLine): void {
    if (line.method !== "GET" && line.method !== "HEAD") {
      this.otherMethods += 1;
      return;
    }
    if (isOwn(line.agent)) {
      this.own += 1;
      return;
    }
    const isMissing = line.status === 404 || line.status === 410;
    const kind = judgeAgent(line.agent);
    const address = this.find(line);
    if (line.status < 300 || line.status === 304)
      address.answeredMs = Math.max(address.answeredMs, line.atMs);
    address.group = isMissing ? address.group : groupOf(line, address.standing);
    sum(this.all, line);
    sum(address, line);
    sum(this.groups[isMissing ? "missing" : address.group], line);
    sum(this.agents[kind], line);
    this.statuses.set(line.status, (this.statuses.get(line.status) ?? 0) + 1);
    this.time(address, line);
    this.note(line, isMissing);
    const referrer = line.referrer === "" ? undefined : readReferrer(line.referrer, this.ownHost);
    if (referrer && !referrer.isOwn) this.hosts.of(referrer.host, newHost).count += 1;
    if (isMissing) miss(address, line, kind, referrer);
  }

  private find({ path }: LogLine): AddressCount {
    const found = this.known.get(path) ?? this.unknown.get(path);
    if (found) return found;
    const standing = this.site.find(path);
    return (standing ? this.known : this.unknown).of(path, () => ({
      ...{ ...newCount(), standing, group: "other", withQuery: 0, timed: 0, seconds: 0, mostSeconds: 0 },
      ...{ answeredMs: 0, missing: undefined },
    }));
  }

  private time(address: AddressCount, { seconds, hasQuery }: LogLine): void {
    if (hasQuery) address.withQuery += 1;
    if (seconds === undefined) return;
    address.timed += 1;
    address.seconds += seconds;
    if (seconds > address.mostSeconds) address.mostSeconds = seconds;
  }

  private note({ atMs, bytes, cache }: LogLine, isMissing: boolean): void {
    if (atMs < this.firstMs) this.firstMs = atMs;
    if (atMs > this.lastMs) this.lastMs = atMs;
    const span = this.spans.of(atMs);
    span.requests += 1;
    span.bytes += bytes;
    if (cache === "hit" || cache === "refreshed") span.hits += 1;
    else if (cache === "miss") span.misses += 1;
    if (isMissing) span.missing += 1;
  }
}

function toRecord<K extends string, T>(names: readonly K[], make: () => T): Record<K, T> {
  return Object.fromEntries(names.map((name) => [name, make()])) as Record<K, T>;
}

const newHost = (): { count: number } => ({ count: 0 });
const newSpan = (): SpanCount => ({ requests: 0, bytes: 0, hits: 0, misses: 0, missing: 0 });

function joinSpans(into: SpanCount, other: SpanCount): void {
  into.requests += other.requests;
  into.bytes += other.bytes;
  into.hits += other.hits;
  into.misses += other.misses;
  into.missing += other.missing;
}

function sum(count: Count, { bytes, cache }: LogLine): void {
  count.count += 1;
  count.bytes += bytes;
  count.cache[cache] += 1;
}

function groupOf({ status }: LogLine, standing: Standing | undefined): TrafficGroup {
  if (status >= 300 && status < 400 && status !== 304) return "redirect";
  return standing === undefined ? "other" : standing.is === "asset" ? "fingerprinted" : standing.role;
}

function miss(
  address: AddressCount,
  { atMs }: LogLine,
  kind: AgentKind,
  referrer: Referrer | undefined,
): void {
  address.missing ??= { count: 0, people: 0, firstMs: atMs, lastMs: atMs, lastPersonMs: 0 };
  const { missing } = address;
  missing.count += 1;
  missing.firstMs = Math.min(missing.firstMs, atMs);
  missing.lastMs = Math.max(missing.lastMs, atMs);
  // What says nothing of itself may be a person: then the doubt is theirs.
  if (kind === "people" || kind === "unknown") {
    missing.people += 1;
    missing.lastPersonMs = Math.max(missing.lastPersonMs, atMs);
  }
  if (!referrer) return;
  missing.referrers ??= new BoundedCounts(MOST_LINKS);
  missing.referrers.of(referrer.address, () => ({ count: 0, isOwn: referrer.isOwn })).count += 1;
}
