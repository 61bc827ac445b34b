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
} as const satisfies Record<string, EdgeAbilities>; // prettier-ignore
export type EdgeName = keyof typeof EDGES;

export interface Answer {
  readonly status: number;
  readonly text: string;
  readonly headers: string;
  readonly cacheControl?: string | undefined;
}

export const NOT_FOUND: Answer = { status: 404, text: "", headers: "" };

/** A cache between visitors, or another cache, and what it asks. */
export class WorldCache {
  readonly held = new Map<string, Answer>();
  /** Answers on their way here, as they were given when they were asked for. */
  private readonly inFlight: { readonly address: string; readonly answer: Promise<Answer> }[] = [];

  constructor(
    private readonly edge: EdgeName,
    private readonly askUpstream: (address: string) => Promise<Answer>,
  ) {}

  async ask(address: string): Promise<Answer> {
    const held = this.held.get(this.nameCopy(address));
    if (held) return held;
    const answer = await this.askUpstream(address);
    this.hold(address, answer);
    return answer;
  }

  /** Asks, and gets the answer only when a purge is under way. */
  askSlowly(address: string): void {
    this.inFlight.push({ address, answer: this.askUpstream(address) });
  }

  /** The first round of a purge, a pause in which everything that is on its way arrives, the second round. */
  async purge(patterns: readonly string[]): Promise<void> {
    const forget = (): void => {
      for (const address of this.held.keys())
        if (patterns.some((pattern) => isMatch(pattern, address))) this.held.delete(address);
    };
    forget();
    for (const { address, answer } of this.inFlight.splice(0)) this.hold(address, await answer);
    forget();
  }

  /** Waits for what is on its way, which nobody gets any more. */
  async calmDown(): Promise<void> {
    for (const { answer } of this.inFlight.splice(0)) await answer;
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
