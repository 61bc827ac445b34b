import { hash } from "node:crypto";
import { readText } from "../../test/contracts/object-store.ts";
import { toEdge, toExactInvalidation } from "../../test/support/edges.ts";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import type { ConfirmationRule } from "../core/model/edge.ts";
import type { Parcel } from "../core/model/parcel.ts";
import type { Clock } from "../ports/clock.ts";
import type { Edge, EdgeLook } from "../ports/edge.ts";
import { confirmEdge } from "./confirm.ts";
import { WayBook } from "./edge-ways.ts";

const RULES = { forms: ["file"], basePath: "/", indexName: "index.html" } as const;
const FORMS = ["br", "gzip", ""];

/** How a cache keeps copies for each form, and finds them. */
type Keeping = "one" | "apart" | "behind-base" | "behind-marker";

/** A cache before a store, in the ways in which real ones were seen to keep copies. */
class Cache {
  /** The content by address and form. */
  private readonly copies = new Map<string, Map<string, string>>();
  /** The form through which all others are found, by address. */
  private readonly bases = new Map<string, string>();
  private nowMs = 0;
  private readonly flights: { readonly landsMs: number; readonly land: () => void }[] = [];
  readonly store = new MemoryStore();
  loses = 0;
  /** Whether it answers once more with what it was asked to forget. */
  isSoft = false;
  private readonly dying = new Set<string>();
  looks = 0;
  /** What it puts instead of what it is given. */
  rewrite = (text: string): string => text;
  isDown = false;

  constructor(readonly keeping: Keeping) {}

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

  async get(address: string, form: string): Promise<string | undefined> {
    for (const { landsMs, land } of this.flights) if (landsMs <= this.nowMs) land();
    const held = this.find(address, form);
    if (this.dying.delete(address)) this.copies.delete(address);
    if (held !== undefined) return held;
    const text = await this.read(address);
    if (text !== undefined) this.hold(address, form, text);
    return text;
  }

  /** A fetch that has read what stands now, and ends later. */
  async fetchSlowly(address: string, form: string, ms: number): Promise<void> {
    const text = (await this.read(address)) ?? "";
    let isLanded = false;
    const land = (): void => {
      if (!isLanded) this.hold(address, form, text);
      isLanded = true;
    };
    this.flights.push({ landsMs: this.nowMs + ms, land });
  }

  purge(address: string, form: string): void {
    if (this.loses > 0) this.loses -= 1;
    else if (this.isSoft) this.dying.add(address);
    else if (this.keeping === "one") this.copies.delete(address);
    else if (this.keeping === "apart") this.copies.get(address)?.delete(form);
    else if (this.bases.has(address)) this.purgeBehind(address, form);
  }

  /** The others can't be found any more, and are when there is a base again. */
  private purgeBehind(address: string, form: string): void {
    const copies = this.copies.get(address);
    if (this.keeping === "behind-marker") {
      this.bases.delete(address);
      copies?.delete(form);
      return;
    }
    copies?.delete(this.slotOf(address, form));
    if (this.bases.get(address) === form) this.bases.delete(address);
  }

  /** The first copy of an address lies in a place of its own, beside an earlier one of its form. */
  private slotOf(address: string, form: string): string {
    if (this.keeping === "one") return "";
    const isBase = this.keeping === "behind-base" && (this.bases.get(address) ?? form) === form;
    return isBase ? "the first" : form;
  }

  private find(address: string, form: string): string | undefined {
    const copies = this.copies.get(address);
    const isFound = this.keeping === "one" || this.keeping === "apart" || this.bases.has(address);
    return isFound ? copies?.get(this.slotOf(address, form)) : undefined;
  }

  private hold(address: string, form: string, text: string): void {
    const copies = this.copies.get(address) ?? new Map<string, string>();
    this.copies.set(address, copies.set(this.slotOf(address, form), text));
    if (!this.bases.has(address)) this.bases.set(address, form);
  }

  private async read(address: string): Promise<string | undefined> {
    if (this.isDown) return undefined;
    const found = await this.store.get(address.slice(1));
    if (!found) return undefined;
    const parts: Uint8Array[] = [];
    for await (const part of found.body) parts.push(part);
    return this.rewrite(Buffer.concat(parts).toString());
  }

  edge(more: Partial<Edge> = {}, rule: Partial<ConfirmationRule> = {}): Edge {
    return toEdge({
      ...{ name: "near", identity: "near", places: ["node"], forms: FORMS, hasAllForms: false },
      triesWays: ["once", "each", "refetched"],
      confirmation: { settle: 2, longestFetch: 20, readBack: { kind: "all" }, rewrites: false, ...rule },
      forget: async ({ patterns, ways }) => {
        const way = ways?.get("node") ?? "refetched";
        for (const address of patterns)
          if (way === "refetched") await this.forgetBehind(address);
          else for (const form of way === "once" ? [""] : FORMS) this.purge(address, form);
      },
      look: (address, look) => this.look(address, look),
      ...more,
    });
  }

  /** As the purge edge does it. */
  private async forgetBehind(address: string): Promise<void> {
    const [first = "", second = "", third = ""] = FORMS;
    for (const form of [second, third]) {
      await this.get(address, first);
      this.purge(address, form);
    }
    this.purge(address, first);
    await this.get(address, second);
    this.purge(address, first);
    this.purge(address, second);
  }

  private async look(address: string, { form }: EdgeLook) {
    this.looks += 1;
    if (this.isDown) return { status: 502, headers: {}, hash: "", size: 0 };
    const text = await this.get(address, form);
    const status = text === undefined ? 404 : 200;
    return { status, headers: {}, hash: hash("sha256", text ?? "nothing"), size: text?.length ?? 0 };
  }

  /** All forms that a visitor may send, one that no list has included, and what of it is not the new content. */
  async findOld(addresses: readonly string[], wanted: string): Promise<string[]> {
    await this.clock.sleep(60_000);
    const old: string[] = [];
    for (const form of [...FORMS, "deflate"])
      for (const address of addresses)
        if ((await this.get(address, form)) !== wanted) old.push(`${address} ${form}`);
    return old;
  }
}

const toParcel = (address: string, text: string): Parcel => ({
  ...{ key: address.slice(1), hash: hash("sha256", text), storedHash: "", size: text.length },
  ...{ headers: {}, role: "page" },
});

const ADDRESSES = Array.from({ length: 30 }, (_, number) => `/page-${number}.html`);

interface DeliverOptions {
  readonly between?: () => Promise<void>;
  readonly addresses?: readonly string[];
  readonly patterns?: readonly string[];
}

/** Pages of one content, warm in all forms; then another content is written, and the edge is asked to forget. */
async function deliver(
  cache: Cache,
  edge: Edge,
  { between, addresses = ADDRESSES, patterns }: DeliverOptions = {},
) {
  const put = async (text: string): Promise<void> => {
    for (const address of addresses) {
      const bytes = Buffer.from(text);
      const content = { size: bytes.length, hash: hash("sha256", bytes), open: () => bytes };
      await cache.store.put(address.slice(1), content, {});
    }
  };
  await put("old");
  for (const form of [...FORMS, "deflate"]) for (const address of addresses) await cache.get(address, form);
  await between?.();
  await put("new");
  const lastWriteMs = cache.clock.monotonicMs();
  const { store, clock } = cache;
  const run = "20260101T000000Z-1a2b3c4d";
  const tools = {
    ...{ clock, run, onWait: () => undefined },
    book: new WayBook({ store, clock, run, indexName: "index.html", addressOf: (key) => `/${key}` }),
    facts: {
      parcels: addresses.map((address) => toParcel(address, "new")),
      addressRules: RULES,
      loadEarlier: () => Promise.resolve(addresses.map((address) => toParcel(address, "old"))),
      isVaulted: (content: string) => content === hash("sha256", "long ago"),
    },
  };
  const exact = toExactInvalidation("near", addresses);
  const request = { ...exact, patterns: patterns ?? exact.patterns };
  const wanted = { request, again: [], lastWriteMs };
  const outcome = await confirmEdge(tools, edge, wanted);
  return { ...outcome, old: await cache.findOld(addresses, "new") };
}

test.each<[Keeping, Partial<Edge>, string, number]>([
  ["one", {}, "none", 0],
  ["apart", {}, "unlisted-forms", 30],
  ["behind-base", {}, "unlisted-forms", 30],
  ["behind-marker", {}, "unlisted-forms", 30],
])("a cache that keeps forms %s: nothing old and confirmed, or old and owed, never old and confirmed", async (keeping, more, failure, left) => {
  const cache = new Cache(keeping);
  const outcome = await deliver(cache, cache.edge(more));
  expect([outcome.failure?.kind ?? "none", outcome.left.size]).toEqual([failure, left]);
  // What is left is just the form that nobody has listed.
  expect(new Set(outcome.old.map((held) => held.split(" ")[1]))).toEqual(new Set(left > 0 ? ["deflate"] : []));
}); // prettier-ignore

test("a cache that answers once more with what it was asked to forget is seen to clear all", async () => {
  const cache = new Cache("one");
  cache.isSoft = true;
  const outcome = await deliver(cache, cache.edge());
  expect([outcome.failure, outcome.left.size, outcome.old]).toEqual([undefined, 0, []]);
  expect(await readWays(cache)).toContain('"way":"once","clears":"all"');
});

const readWays = async (cache: Cache) => readText(await cache.store.get(".courier/edge-ways.json"));

test("where somebody has said all forms, those are cleared, by the cheapest way that does it", async () => {
  for (const [keeping, way] of [["apart", "each"], ["behind-base", "refetched"], ["behind-marker", "refetched"]] as const) {
    const cache = new Cache(keeping);
    const outcome = await deliver(cache, cache.edge({ hasAllForms: true }));
    expect([keeping, outcome.left.size, outcome.read.size]).toEqual([keeping, 0, 30]);
    expect(await readWays(cache)).toContain(`"way":"${way}"`);
    expect(outcome.old.filter((held) => !held.endsWith("deflate"))).toEqual([]);
  }
}); // prettier-ignore

test("what is known of a cache is found out anew when it fails", async () => {
  const cache = new Cache("one");
  await deliver(cache, cache.edge());
  // Set up anew: it keeps forms apart now.
  Object.assign(cache, { keeping: "behind-marker" });
  const outcome = await deliver(cache, cache.edge());
  expect(outcome.failure?.kind).toBe("unlisted-forms");
  expect(outcome.old.every((held) => held.endsWith("deflate"))).toBe(true);
});

test.each([14_000, 1000])(
  "a fetch of %d ms that began before the write brings nothing old back",
  async (ms) => {
    const cache = new Cache("one");
    const [address = ""] = ADDRESSES;
    const between = async (): Promise<void> => {
      cache.purge(address, "");
      await cache.fetchSlowly(address, "", ms);
    };
    const outcome = await deliver(cache, cache.edge(), { between });
    expect([outcome.left.size, outcome.old]).toEqual([0, []]);
  },
);

test.each<[string, Partial<Edge>, number, string[][]]>([
  ["a cache", {}, 20, [["/a", "/b*"], ["/a"], ["/a", "/b*"]]],
  ["a cache that fetches fast", {}, 1, [["/a", "/b*"], ["/a", "/b*"]]],
  ["an edge that charges", { hasStatus: true }, 20, [["/a", "/b*"], ["/a", "/b*"]]],
  ["an edge that is fast", { hasStatus: true }, 1, [["/a", "/b*"], ["/a", "/b*"]]],
])("%s is asked for everything at once, and when no fetch from before can end any more", async (_, more, longestFetch, expected) => {
  const cache = new Cache("one");
  const asked: (readonly string[])[] = [];
  const forget: Edge["forget"] = ({ patterns }) => Promise.resolve(void asked.push(patterns));
  const edge = cache.edge({ forget, triesWays: [], ...more }, { longestFetch });
  await deliver(cache, edge, { addresses: ["/a"], patterns: ["/a", "/b*"] });
  expect(asked.slice(0, expected.length)).toEqual(expected);
}); // prettier-ignore

test("an invalidation that was lost is asked for again, and where all are lost everything stays owed", async () => {
  const cache = new Cache("one");
  cache.loses = 75;
  // The first rounds are of the trial of its ways.
  const outcome = await deliver(cache, cache.edge({ hasAllForms: true, triesWays: ["once"] }));
  expect([outcome.left.size, outcome.old]).toEqual([0, []]);
  const dead = new Cache("one");
  dead.loses = Infinity;
  const lost = await deliver(dead, dead.edge({ hasStatus: true, hasAllForms: true, triesWays: [] }));
  expect([lost.failure, lost.left.size]).toEqual([{ kind: "still-old", held: expect.stringContaining("/page-"), count: 30 }, 30]); // prettier-ignore
});

test("an origin that is down confirms nothing", async () => {
  const cache = new Cache("one");
  const down = () => ((cache.isDown = true), Promise.resolve());
  const outcome = await deliver(cache, cache.edge({ forget: down }));
  expect([outcome.failure?.kind, outcome.left.size]).toEqual(["no-answer", 30]);
});

test("what was never delivered there is named for what it is and stays owed, unless the edge is said to rewrite", async () => {
  const rewriting = (): Cache => {
    const cache = new Cache("one");
    cache.rewrite = (text) => `${text}, and a banner`;
    return cache;
  };
  const cache = rewriting();
  const owed = await deliver(cache, cache.edge());
  expect([owed.failure?.kind, owed.left.size]).toEqual(["foreign", 30]);
  const other = rewriting();
  const taken = await deliver(other, other.edge({}, { rewrites: true }));
  expect([taken.failure, taken.left.size, taken.odd?.count]).toEqual([undefined, 0, 30]);
});

test("what the vault has is old, whatever the edge is said to rewrite", async () => {
  const cache = new Cache("one");
  cache.rewrite = () => "long ago";
  const outcome = await deliver(cache, cache.edge({}, { rewrites: true }));
  expect([outcome.failure?.kind, outcome.left.size]).toEqual(["still-old", 30]);
});

test("with a budget the rest is struck only where the edge keeps a status of its own", async () => {
  const rule = { readBack: { kind: "most", addresses: 10 } } as const;
  const cache = new Cache("one");
  const sampled = await deliver(
    cache,
    cache.edge({ hasStatus: true, triesWays: [], hasAllForms: true }, rule),
  );
  expect([sampled.read.size, sampled.left.size]).toEqual([10, 0]);
  const other = new Cache("one");
  const unread = await deliver(other, other.edge({}, rule));
  expect([unread.failure, unread.left.size]).toEqual([{ kind: "unread", count: 20 }, 20]);
});

test("without any reading back nothing is looked at, and what settled meanwhile is still asked for twice", async () => {
  const cache = new Cache("one");
  const between = async (): Promise<void> => {
    cache.purge(ADDRESSES[0] ?? "", "");
    await cache.fetchSlowly(ADDRESSES[0] ?? "", "", 1000);
  };
  const edge = cache.edge({ triesWays: [] }, { readBack: { kind: "off" } });
  const outcome = await deliver(cache, edge, { between });
  expect([outcome.left.size, outcome.read.size, cache.looks, outcome.old]).toEqual([0, 0, 0, []]);
});
