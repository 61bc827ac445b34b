import CachePolicy from "http-cache-semantics";
import type { OriginAnswer } from "./origin.ts";
import type { Traits } from "./traits.ts";

/** A request as far as a cache looks at it. */
export interface CacheRequest {
  readonly method: string;
  readonly url: string;
  readonly headers: Record<string, string>;
}

interface Entry {
  readonly policy: CachePolicy;
  readonly answer: OriginAnswer;
}

export interface CachedAnswer extends OriginAnswer {
  /** For `Cache-Status` (RFC 9211). */
  readonly cacheStatus: string;
}

export type Fetch = (ifNoneMatch: string | undefined) => Promise<OriginAnswer>;

/** Stands before the form in what copies are told apart by. */
export const FORM_MARK = " form:";

/** One point of presence's cache (RFC 9111, as a shared cache): policy by a general library, storage here. */
export class EdgeCache {
  private readonly entries = new Map<string, Entry[]>();
  /** The form through which all copies of an address are found, where they are kept so. */
  private readonly bases = new Map<string, string>();
  /** Copies that are served once more before they are gone. */
  private readonly lastTimes = new Map<string, Entry[]>();

  constructor(private readonly traits: Traits) {}

  /** Answers from the cache or from the origin. `key` is what the edge tells answers apart by. */
  async answer(key: string, request: CacheRequest, fetch: Fetch): Promise<CachedAnswer> {
    const last = this.lastTimes.get(key)?.pop();
    if (last) return { ...withAge(last), cacheStatus: "hit; detail=soft-purged" };
    const own = this.isFound(key) ? (this.entries.get(this.slotOf(key)) ?? []) : [];
    const held = own.find(({ policy }) => policy.satisfiesWithoutRevalidation(request));
    if (held) {
      const ttl = Math.round(held.policy.timeToLive() / 1000);
      return { ...withAge(held), cacheStatus: `hit; ttl=${ttl}` };
    }
    const [stale] = own;
    const etag = stale?.policy.revalidationHeaders(request)["if-none-match"];
    const fresh = await fetch(typeof etag === "string" ? etag : undefined);
    if (stale && fresh.status === 304) {
      const { policy } = stale.policy.revalidatedPolicy(request, {
        status: 304,
        headers: this.toPolicyHeaders(fresh),
      });
      const renewed = {
        policy,
        answer: { ...stale.answer, headers: { ...stale.answer.headers, ...fresh.headers } },
      };
      this.store(key, renewed);
      return { ...withAge(renewed), cacheStatus: "fwd=stale; fwd-status=304" };
    }
    const policy = new CachePolicy(
      request,
      { status: fresh.status, headers: this.toPolicyHeaders(fresh) },
      { shared: true },
    );
    const stored = policy.storable() && !(this.traits.dropsZero && policy.timeToLive() === 0);
    if (stored) this.store(key, { policy, answer: fresh });
    else this.entries.delete(this.slotOf(key));
    return { ...fresh, cacheStatus: `fwd=${stale ? "stale" : "uri-miss"}${stored ? "; stored" : ""}` };
  }

  /** Whether what may be held can be reached at all. */
  private isFound(key: string): boolean {
    return !this.traits.forms.startsWith("behind") || this.bases.has(addressOf(key));
  }

  /** Where a copy is put: the first of an address has a place of its own, beside which an earlier one of its form may lie. */
  private slotOf(key: string): string {
    const base = this.bases.get(addressOf(key));
    const isApart = this.traits.forms === "behind-base" && (base === undefined || base === key);
    return isApart ? `${addressOf(key)}${FORM_MARK}\0` : key;
  }

  /** Lets go of one address. @returns whether it was held */
  forget(key: string): boolean {
    if (!this.isFound(key)) return false;
    const address = addressOf(key);
    const isBase = this.bases.get(address) === key;
    const wasHeld = this.drop(key, this.slotOf(key));
    if (this.traits.forms === "behind-marker" || isBase) this.bases.delete(address);
    return wasHeld || this.traits.forms === "behind-marker";
  }

  private drop(key: string, slot: string): boolean {
    const held = this.entries.get(slot);
    if (held && this.traits.softPurge) this.lastTimes.set(key, held.slice(0, 1));
    return this.entries.delete(slot);
  }

  /** Lets go of every address that fits. @returns how many were held */
  forgetAll(fits: (key: string) => boolean): number {
    const keys = [...this.entries.keys()].filter(fits);
    for (const key of keys) {
      this.bases.delete(addressOf(key));
      this.drop(key, key);
    }
    return keys.length;
  }

  private store(key: string, entry: Entry): void {
    const address = addressOf(key);
    if (!this.bases.has(address)) this.bases.set(address, key);
    const slot = this.slotOf(key);
    const others = (this.entries.get(slot) ?? []).filter(
      ({ policy }) => policy !== entry.policy && policy.storable() && policy.timeToLive() > 0,
    );
    // Variants stand beside each other as long as they are fresh; without `Vary` the newest is the only one.
    this.entries.set(slot, "vary" in entry.answer.headers ? [entry, ...others] : [entry]);
  }

  /**
   * What the policy decides by. A 404 that says nothing of its freshness gets ours; `must-revalidate` is left out, since the
   * library takes it for 'always', while it forbids only to serve what is stale (RFC 9111 §5.2.2.2), which is never done here.
   */
  private toPolicyHeaders({ status, headers, heldSeconds }: OriginAnswer): Record<string, string> {
    const { negativeSeconds } = this.traits;
    const minimumSeconds = Math.max(this.traits.minimumSeconds, heldSeconds);
    const least = status === 404 ? Math.max(negativeSeconds, minimumSeconds) : minimumSeconds;
    const unsaid = status >= 400 && least > 0 ? `max-age=0, s-maxage=${least}` : undefined;
    const said = headers["cache-control"] ?? unsaid;
    if (said === undefined) return { ...headers };
    const fresh = /s-maxage=(\d+)/.exec(said)?.[1] ?? /max-age=(\d+)/.exec(said)?.[1] ?? "0";
    const counts = Number(fresh) < minimumSeconds ? `public, s-maxage=${minimumSeconds}` : said;
    return { ...headers, "cache-control": counts.replace(/,?\s*must-revalidate/, "") };
  }
}

const addressOf = (key: string): string => key.split(FORM_MARK, 1)[0] as string;

const withAge = ({ policy, answer }: Entry): OriginAnswer => ({
  ...answer,
  headers: { ...answer.headers, age: String(Math.floor(policy.age())) },
});
