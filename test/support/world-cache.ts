import { parseEdgeFreshness } from "../../src/core/model/cache-control.ts";
import type { EdgeAbilities } from "../../src/core/model/edge.ts";
import { EXACT_EDGE } from "./edges.ts";

/** What an edge does; it holds what it gets for ever, unless it is said otherwise. */
export const EDGES = {
  /** One copy for all queries, asked for exact addresses only. */
  exact: EXACT_EDGE,
  /** A copy for each query, asked with few patterns. */
  keyed: { ...EXACT_EDGE, wildcard: "prefix", reachesQuery: true, query: "keyed", mostPatterns: 9, mostWildcards: 3, worth: 20 },
  /** Holds neither what says `max-age=0` nor 'not found'. */
  honest: { ...EXACT_EDGE, minimumFreshness: 0, negative: 0 },
  /** Takes batches of few patterns, and has a status of its own. */
  distribution: { ...EXACT_EDGE, wildcard: "prefix", reachesQuery: true, query: "ignored", mostPatterns: 9, mostWildcards: 3, worth: 20 },
} as const satisfies Record<string, EdgeAbilities>; // prettier-ignore
export type EdgeName = keyof typeof EDGES;

export interface Answer {
  readonly status: number;
  readonly text: string;
  readonly headers: string;
  readonly cacheControl?: string | undefined;
}

export const NOT_FOUND: Answer = { status: 404, text: "", headers: "" };

/** How long a fetch of an edge takes at most, in milliseconds; 'not found' has no content to be waited for. */
export const LONGEST_FETCH_MS = 500;
export const LONGEST_MISSING_MS = 100;

interface Flight {
  readonly address: string;
  readonly answer: Answer;
  readonly landsMs: number;
}

/** A cache between visitors, or another cache, and what it asks. */
export class WorldCache {
  readonly held = new Map<string, Answer>();
  /** Answers on their way here, as they were given when they were asked for. */
  private flights: Flight[] = [];
  /** So many invalidations come to nothing, though it says that they are done. */
  loses = 0;

  constructor(
    private readonly edge: EdgeName,
    private readonly askUpstream: (address: string) => Promise<Answer>,
    private readonly nowMs: () => number,
  ) {}

  async ask(address: string): Promise<Answer> {
    this.land(this.nowMs());
    const held = this.held.get(this.nameCopy(address));
    if (held) return held;
    const answer = await this.askUpstream(address);
    this.hold(address, answer);
    return answer;
  }

  /** Asks, and gets the answer some time later. @param share of the longest time, 0 to 1 */
  async askSlowly(address: string, share: number): Promise<void> {
    const answer = await this.askUpstream(address);
    const longestMs = answer.status === 404 ? LONGEST_MISSING_MS : LONGEST_FETCH_MS;
    this.flights.push({ address, answer, landsMs: this.nowMs() + share * longestMs });
  }

  purge(patterns: readonly string[]): void {
    this.land(this.nowMs());
    if (this.loses > 0) {
      this.loses -= 1;
      return;
    }
    for (const address of this.held.keys())
      if (patterns.some((pattern) => isMatch(pattern, address))) this.held.delete(address);
  }

  /** Lets everything arrive that is on its way. */
  calmDown(): void {
    this.land(Infinity);
  }

  private land(nowMs: number): void {
    const landed = this.flights.filter(({ landsMs }) => landsMs <= nowMs);
    if (landed.length === 0) return;
    this.flights = this.flights.filter(({ landsMs }) => landsMs > nowMs);
    for (const { address, answer } of landed.sort((a, b) => a.landsMs - b.landsMs))
      this.hold(address, answer);
  }

  private hold(address: string, answer: Answer): void {
    const isZero = answer.status === 404 || parseEdgeFreshness(answer.cacheControl) === 0;
    if (this.edge !== "honest" || !isZero) this.held.set(this.nameCopy(address), answer);
  }

  private nameCopy(address: string): string {
    return this.edge === "keyed" ? address : address.replace(/\?.*/, "");
  }
}

const isMatch = (pattern: string, address: string): boolean =>
  pattern.endsWith("*") ? address.startsWith(pattern.slice(0, -1)) : address === pattern;
