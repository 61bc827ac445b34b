import { MemoryStore, type MemoryTraits } from "../../src/adapters/stores/memory/memory-store.ts";
import type { Clock } from "../../src/ports/clock.ts";
import { NOT_FOUND, WorldCache, type Answer, type EdgeName } from "./world-cache.ts";
import { ADDRESSES, keyOf } from "./world-site.ts";
import { DisturbedRun } from "./disturbed-run.ts";

/** What one run meets, by the number of its steps (calls of the store or the edge). */
export interface Disturbance {
  /** What is delivered; a way back and a clearing need no build. */
  readonly build: number;
  /** Instead of a delivery: the release before is put back, what no release needs is removed, or what is owed is paid. */
  readonly work?: "redeliver" | "prune" | "invalidate" | undefined;
  /** From this step on the process is dead. */
  readonly diesAt?: number | undefined;
  /** The step that kills it had its effect, only the answer was lost. */
  readonly tookEffect?: boolean | undefined;
  /** The edge refuses every invalidation of this run. */
  readonly edgeFails?: boolean | undefined;
  /** So many invalidations of this run come to nothing at each edge, which says that they are done. */
  readonly loses?: number | undefined;
  /** Of two edges just the outer one. */
  readonly onlyOuter?: boolean | undefined;
  /** At this step the machine sleeps, and another run is started meanwhile, and comes to its end. */
  readonly rivalAt?: number | undefined;
  readonly rival?: number | undefined;
  /** Another one comes after it. */
  readonly secondRival?: number | undefined;
  /** At this step the machine sleeps with a write under way: it reaches the store when the others have come to their ends. */
  readonly lateAt?: number | undefined;
  /** From this step on, so many conditional writes meet another one that is under way (409). */
  readonly conflictsAt?: number | undefined;
  readonly conflicts?: number | undefined;
  /** What else is done while it sleeps. */
  readonly rivalWork?: Disturbance["work"];
}

/** Remedies that a test takes out to see that it would notice. */
export type Remedy =
  | "owed is remembered"
  | "removal before invalidation"
  | "the hold fences"
  | "workers come last"
  | "new names are unmasked"
  | "left assets are unmasked"
  | "fetches are waited for"
  | "answers are read back"
  | "open records";

export interface WorldOptions {
  readonly edge: EdgeName;
  readonly hasTwo?: boolean;
  readonly without?: Remedy | undefined;
  readonly traits?: MemoryTraits;
  /** How long releases are retained besides the last two. */
  readonly retainSeconds?: number;
}

/** One site, its edge or two of them in a row, visitors, a clock, and runs that are disturbed. */
export class World {
  readonly store: MemoryStore;
  /** What a visitor should never have met. */
  readonly faults: string[] = [];
  visits = 0;
  steps = 0;
  private nowMs = 1_000_000;
  isAnnouncedInOrder = true;

  /** From the store outwards; visitors ask the last. */
  readonly caches: readonly WorldCache[];
  private readonly without: Remedy | undefined;
  readonly edge: EdgeName;
  readonly retainSeconds: number;

  constructor(
    private readonly chance: () => number,
    { edge, hasTwo = false, without, traits = {}, retainSeconds = 0 }: WorldOptions,
  ) {
    this.retainSeconds = retainSeconds;
    this.edge = edge;
    this.store = new MemoryStore(undefined, () => this.nowMs, traits);
    this.without = without;
    const nowMs = (): number => this.nowMs;
    const near = new WorldCache(edge, (address) => this.askOrigin(address), nowMs);
    this.caches = hasTwo ? [near, new WorldCache(edge, (address) => near.ask(address), nowMs)] : [near];
  }

  /** A delivery that is disturbed. @returns what became of it */
  async run(disturbance: Disturbance): Promise<string> {
    const run = new DisturbedRun(this, disturbance, this.without);
    // Going back is on purpose: then a version file may lead to pages that the edge had long before.
    const { build, work } = disturbance;
    if (work === "redeliver" || (!work && build <= this.newest)) this.isAnnouncedInOrder = false;
    if (!work) this.newest = Math.max(this.newest, build);
    const end = await run.end();
    // A clearing with nothing to remove pays nothing either.
    if (end === "done" && work !== "prune") this.isOwing = false;
    // A release that is listed can be put back.
    if (end === "content-gone") this.faults.push("a retained release can't be put back");
    return end;
  }
  private newest = 0;
  /** Some write was under way while its machine slept. */
  sleptLate = false;
  /** An edge has refused what it was asked for, and nobody has paid that yet. */
  isOwing = false;

  readonly clock: Clock = {
    now: () => new Date(this.nowMs),
    monotonicMs: () => this.nowMs,
    sleep: (ms) => {
      this.nowMs += ms;
      return Promise.resolve();
    },
    every: () => () => undefined,
    random: () => 0,
  };

  /** Between any two steps visitors come by, and an edge asks slowly. */
  async passTime(): Promise<void> {
    this.steps += 1;
    this.nowMs += 1;
    for (let visits = Math.floor(this.chance() * 3); visits > 0; visits--) {
      const address = this.pick(ADDRESSES);
      if (this.chance() < 0.3)
        await (this.caches.length > 1 ? this.pick(this.caches) : this.near).askSlowly(address, this.chance());
      else await this.visit(address);
    }
  }

  sleepOver(ms: number): void {
    this.nowMs += ms;
  }

  /** A visitor asks for an address, and a page's visitor for all that it names. */
  async visit(address: string): Promise<void> {
    this.visits += 1;
    const { status, text } = await this.ask(address);
    if (status !== 200) return;
    for (const [key = ""] of text.matchAll(/assets\/[\w-]+\.js/g)) {
      if (!keyOf(address).endsWith(".html")) continue;
      if ((await this.store.head(key)) === undefined)
        this.faults.push(`${address} names ${key}, which the store lacks`);
      // An edge that takes no invalidation may go on with what it has; the run says so and ends with 5.
      else if (!this.isOwing && (await this.ask(`/${key}`)).status !== 200)
        this.faults.push(`${address} names ${key}, which the edge has as missing`);
    }
    const version = /^\{"build":(\d+)\}$/.exec(text)?.[1];
    if (version === undefined || !this.isAnnouncedInOrder) return;
    const page = /build (\d+)/.exec((await this.ask("/")).text)?.[1];
    if (page !== undefined && Number(page) < Number(version))
      this.faults.push(`version ${version} was seen while the page is still of ${page}`);
  }

  /** Every address at the edge against the store, once everything is quiet. */
  async findStale(): Promise<string[]> {
    for (const cache of this.caches) cache.calmDown();
    const stale: string[] = [];
    for (const [address, held] of this.caches.flatMap((cache) => [...cache.held])) {
      const fresh = await this.askOrigin(address);
      // A chunk whose time is over may live on at the edge: under its name these are the right bytes for ever.
      if (fresh.status === 404 && address.startsWith("/assets/")) continue;
      if (held.status !== fresh.status || held.text !== fresh.text || held.headers !== fresh.headers)
        stale.push(`${address}: ${held.status} ${held.text} instead of ${fresh.status} ${fresh.text}`);
    }
    return stale;
  }

  private ask(address: string): Promise<Answer> {
    return (this.caches.at(-1) as WorldCache).ask(address);
  }

  get near(): WorldCache {
    return this.caches[0] as WorldCache;
  }

  private async askOrigin(address: string): Promise<Answer> {
    const found = await this.store.get(keyOf(address));
    if (!found) return NOT_FOUND;
    const chunks: Uint8Array[] = [];
    for await (const chunk of found.body) chunks.push(chunk);
    return {
      status: 200,
      text: Buffer.concat(chunks).toString(),
      headers: JSON.stringify(found.headers),
      cacheControl: found.headers["cache-control"],
    };
  }

  private pick<T>(items: readonly T[]): T {
    return items[Math.floor(this.chance() * items.length)] as T;
  }
}
