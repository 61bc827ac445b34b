import { chooseWay, isBelieved, toUnlistedForm, type WayTrial } from "../core/edges/forms-trial.ts";
import { parseWays, toWaysText, type KnownWays } from "../core/edges/known-ways.ts";
import { PROBE_HEADERS, toProbeKeys } from "../core/diagnosis/checkup/probes.ts";
import { takesWildcards, type ClearingWay, type KnownWay } from "../core/model/edge.ts";
import { EDGE_WAYS_KEY, type ObjectKey, type Sha256, type UrlPath } from "../core/model/names.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge } from "../ports/edge.ts";
import { StoreError, type ObjectStore } from "../ports/object-store.ts";
import { readSmall, STATE_HEADERS, toContent } from "./record.ts";
import { toProbe } from "./try-edges.ts";

export interface WayTools {
  readonly store: ObjectStore;
  readonly clock: Clock;
  readonly run: string;
  readonly addressOf: (key: ObjectKey) => UrlPath;
  readonly indexName: string;
}

/** How copies are cleared at one edge, by place; a place that nothing is known of is absent. */
export interface EdgeWays {
  readonly places: ReadonlyMap<string, KnownWay>;
  /** Whether this was found out by this very run. */
  readonly isFresh: boolean;
}

/** Knows how copies are cleared at the places of edges: reads what was found out before, and tries what was not. */
export class WayBook {
  private known: KnownWays | undefined;
  /** What was found out by this run. */
  private readonly fresh = new Map<string, EdgeWays>();
  private readonly versions = { count: 0 };

  constructor(private readonly tools: WayTools) {}

  /**
   * @param anew whether what is known has failed
   * @returns undefined where the edge needs no trying
   */
  async find(edge: Edge, anew = false): Promise<EdgeWays | undefined> {
    const { triesWays = [] } = edge;
    if (triesWays.length === 0) return undefined;
    this.known ??= parseWays((await readSmall(this.tools.store, EDGE_WAYS_KEY))?.text ?? "");
    const before = this.known.get(edge.identity) ?? new Map<string, KnownWay>();
    const fresh = this.fresh.get(edge.identity);
    if (fresh && !anew) return fresh;
    const nowMs = this.tools.clock.now().getTime();
    const isEnough = edge.places.every((place) => isBelieved(before.get(place), edge.hasAllForms, nowMs));
    if (!anew && isEnough) return { places: before, isFresh: false };
    const places = await new WayTrials({ ...this.tools, versions: this.versions }, edge, triesWays).run();
    this.known = new Map([...this.known, [edge.identity, places]]);
    const content = toContent(Buffer.from(toWaysText(this.known)));
    const headers = { ...STATE_HEADERS, "content-type": "application/json" };
    await this.tools.store.put(EDGE_WAYS_KEY, content, headers);
    const found = { places, isFresh: true };
    this.fresh.set(edge.identity, found);
    return found;
  }
}

/** A soft purge serves the old copy once more: so what is old is looked at more than once. */
const LOOKS = 3;
const LOOK_MS = 250;

/** Tries on an object of our own, at all places of an edge side by side, which way of clearing leaves no old copy. */
class WayTrials {
  private readonly key: ObjectKey;
  private readonly address: UrlPath;
  private readonly unlisted: string;
  private readonly forms: readonly string[];

  constructor(
    private readonly tools: WayTools & {
      /** How often the object was written: no content of it comes twice. */
      readonly versions: { count: number };
    },
    private readonly edge: Edge,
    private readonly ways: readonly ClearingWay[],
  ) {
    this.key = toProbeKeys(tools.run, tools.indexName).page;
    this.address = tools.addressOf(this.key);
    this.unlisted = toUnlistedForm(tools.run);
    this.forms = edge.hasAllForms ? edge.forms : [...edge.forms, this.unlisted];
  }

  /** @returns nothing of places that hold no copy of the object */
  async run(): Promise<Map<string, KnownWay>> {
    try {
      return await this.tryWays();
    } catch (error) {
      // Without an object of our own nothing can be tried; what is read back decides then.
      if (error instanceof StoreError) return new Map();
      throw error;
    } finally {
      await this.tools.store.remove([this.key]).catch(() => undefined);
    }
  }

  private async tryWays(): Promise<Map<string, KnownWay>> {
    const old = await this.write();
    for (let round = 1; round <= 2; round++) await this.lookAll(this.edge.places, () => undefined);
    await this.write();
    const holding = new Set<string>();
    await this.lookAll(this.edge.places, (place, _, hash) => {
      if (hash === old) holding.add(place);
    });
    const trials = new Map<string, WayTrial[]>([...holding].map((place) => [place, []]));
    const isDone = (place: string): boolean =>
      trials.get(place)?.some(({ left }) => left.length === 0) === true;
    for (const way of this.ways) {
      const open = [...holding].filter((place) => !isDone(place));
      if (open.length === 0) break;
      const left = await this.tryWay(way, open);
      for (const place of open)
        trials.get(place)?.push({ way, held: this.forms.length, left: left.get(place) ?? [] });
    }
    const at = this.tools.clock.now().toISOString();
    const taken = takesWildcards(this.edge.abilities) ? await this.tryWildcard(trials.keys()) : undefined;
    return new Map(
      [...trials].map(([place, tried]) => {
        const known = chooseWay(tried, this.unlisted, at);
        return [place, taken ? { ...known, takesWildcards: taken.has(place) } : known] as const;
      }),
    );
  }

  /** @returns the forms in which each place still answers with what stood before */
  private async tryWay(way: ClearingWay, places: readonly string[]): Promise<Map<string, string[]>> {
    // What the way before has left is held beside what it has cleared: all of it must go now.
    await this.lookAll(places, () => undefined);
    const fresh = await this.write();
    const ways = new Map(this.edge.places.map((place) => [place, way]));
    await this.edge.forget({ patterns: [this.address], run: this.tools.run, ways });
    let left = new Map<string, string[]>();
    for (let looked = 1; looked <= LOOKS; looked++) {
      if (looked > 1) await this.tools.clock.sleep(LOOK_MS);
      left = new Map();
      await this.lookAll(places, (place, form, hash) => {
        if (hash !== fresh) left.set(place, [...(left.get(place) ?? []), form]);
      });
      if (left.size === 0) break;
    }
    return left;
  }

  /** @returns the places at which a wildcard took along a copy that is held under a query, or under the address alone */
  private async tryWildcard(places: Iterable<string>): Promise<Set<string>> {
    const address = `${this.address}?probe=${this.tools.run}`;
    const look = async (place: string): Promise<Sha256 | undefined> =>
      (await this.edge.look(address, { place, form: "" }))?.hash;
    const all = [...places];
    for (const place of all) await look(place);
    const fresh = await this.write();
    const folder = this.address.slice(0, this.address.lastIndexOf("/") + 1);
    await this.edge.forget({ patterns: [`${folder}*`], run: this.tools.run });
    const taken = new Set<string>();
    for (let looked = 1; looked <= LOOKS && taken.size < all.length; looked++) {
      if (looked > 1) await this.tools.clock.sleep(LOOK_MS);
      for (const place of all) if ((await look(place)) === fresh) taken.add(place);
    }
    return taken;
  }

  private async write(): Promise<Sha256> {
    this.tools.versions.count += 1;
    const content = toProbe(this.tools.run, this.tools.versions.count);
    await this.tools.store.put(this.key, content, PROBE_HEADERS.page);
    return content.hash;
  }

  /** One form after the other, since the first of them may decide what is found of the others. */
  private async lookAll(
    places: readonly string[],
    note: (place: string, form: string, hash: Sha256 | undefined) => void,
  ): Promise<void> {
    await Promise.all(
      places.map(async (place) => {
        for (const form of this.forms)
          note(place, form, (await this.edge.look(this.address, { place, form }))?.hash);
      }),
    );
  }
}
