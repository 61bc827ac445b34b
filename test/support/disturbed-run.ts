import { hash } from "node:crypto";
import { HOLD_KEY, isStateKey, OPEN_PREFIX, POINTER_KEY } from "../../src/core/model/names.ts";
import type { WriteGate } from "../../src/perform/gate.ts";
import { EdgeError, type Edge } from "../../src/ports/edge.ts";
import { StoreError, type Condition, type ObjectStore, type Written } from "../../src/ports/object-store.ts";
import { deliver } from "../../src/workflows/deliver.ts";
import { invalidate } from "../../src/workflows/invalidate.ts";
import { prune } from "../../src/workflows/prune.ts";
import { redeliver } from "../../src/workflows/redeliver.ts";
import type { Delivery } from "../../src/workflows/run.ts";
import { memoryDelivery } from "./memory-build.ts";
import { toEdge } from "./edges.ts";
import { EDGES, LONGEST_FETCH_MS, LONGEST_MISSING_MS, WorldCache } from "./world-cache.ts";
import { filesOf } from "./world-site.ts";
import type { Disturbance, Remedy, World } from "./world.ts";

/** A hold that is never lost: whatever is asked of it is granted, but for the one condition that can't hold. */
function believe(condition: Condition | undefined): Written {
  if (condition && "ifEtag" in condition && condition.ifEtag !== "believed")
    throw new StoreError("precondition", "as it should be", { action: { do: "write", key: "" } });
  return { etag: "believed" };
}

/** What the gate lets through at any time. */
const isUngated = (key: string): boolean => key === HOLD_KEY || key.startsWith(OPEN_PREFIX);

/** One run, seen from its machine: every call is a step, at which it may die or sleep. */
export class DisturbedRun {
  private taken = 0;
  private isDead = false;
  private isLate = false;
  private isRecorded = false;

  constructor(
    private readonly world: World,
    private readonly disturbance: Disturbance,
    private readonly without?: Remedy,
  ) {}

  async end(): Promise<string> {
    const { build } = this.disturbance;
    const header = build % 3 === 0 ? [{ files: "about.html", set: { "Content-Language": "en" } }] : [];
    const delivery = memoryDelivery({
      files: filesOf(build),
      store: this.openStore(),
      edges: this.world.caches.map((cache, place) => this.openEdge(cache, place)),
      clock: this.world.clock,
      report: (event) => {
        // An edge that loses what it confirms is found out, and owes.
        const isLossy = (this.disturbance.loses ?? 0) > 0;
        if (isLossy && event.event === "warning" && event.warning.code === "edge-failed")
          this.world.isOwing = true;
      },
      retries: true,
      retention: { releases: 2, forSeconds: this.world.retainSeconds },
      rules: {
        headers: { freshness: [{ files: "**/*.html", edge: 0 }], headers: header, edgeCanForget: true },
      },
    });
    this.sleepBefore(delivery.writing.gate);
    try {
      return (await this.work(delivery)).length > 0 ? "owes" : "done";
    } catch (error) {
      if (this.isDead) return "dead";
      const { code } = error as { code?: string };
      if (code === undefined || code === "bug") throw error;
      return code;
    }
  }

  /** @returns what is owed after it */
  private async work(delivery: Delivery): Promise<readonly unknown[]> {
    const options = { dryRun: false, queueSeconds: 60 };
    if (this.disturbance.work === "prune")
      return (await prune(delivery, { ...options, foreign: false, forget: [] })).owed;
    if (this.disturbance.work === "invalidate")
      return (await invalidate(delivery, { ...options, patterns: [], owed: true, everything: false }))
        .invalidation.owed;
    const all = { ...options, all: false };
    const { invalidation } = await (this.disturbance.work === "redeliver"
      ? redeliver(delivery, "previous", all)
      : deliver(delivery, all));
    return invalidation.owed;
  }

  private async step<T>(isWrite: boolean, call: () => Promise<T>): Promise<T> {
    const { diesAt, tookEffect, lateAt } = this.disturbance;
    if (!isWrite) await this.sleepIfDue();
    this.taken += 1;
    const number = this.taken;
    await this.world.passTime();
    if (isWrite && number === lateAt && !this.isDead) {
      this.world.sleptLate = true;
      this.isLate = true;
      await this.sleep(1);
    }
    // One that dies before it notices leaves what its late write has brought: nobody knows it (docs/order-of-effects.md).
    if (number === diesAt && !this.isLate) {
      if (tookEffect && isWrite) await call();
      this.isDead = true;
    }
    // Nobody tries that again: the process is gone.
    if (this.isDead) throw new StoreError("credentials-refused", "dead", { action: { do: "use", key: "" } });
    return call();
  }

  /** The machine sleeps, others deliver. A write that is under way then has long been done. */
  private async sleepIfDue(): Promise<void> {
    if (this.taken + 1 === this.disturbance.rivalAt && !this.isDead) await this.sleep(0);
  }

  /** @param late how many writes stay under way meanwhile */
  private async sleep(late: number): Promise<void> {
    const { rival, secondRival } = this.disturbance;
    if (rival === undefined || this.hasSlept) return;
    this.hasSlept = true;
    let wake = (): void => undefined;
    this.asleep = new Promise((done) => (wake = done));
    while (this.underWay > late) await new Promise((done) => setImmediate(done));
    // Long enough for the hold to end, and for what this run has stocked to be cleared away.
    const others = rival % 2 === 0 ? [rival, (rival % 4) + 1, rival, (rival % 4) + 1] : [rival];
    if (secondRival !== undefined) others.push(secondRival);
    if (others.length > 1 || late > 0) this.world.sleepOver(40_000);
    for (const build of others) await this.world.run({ build });
    const { rivalWork } = this.disturbance;
    if (rivalWork) await this.world.run({ build: rival, work: rivalWork });
    // From here on this run takes the site back.
    if (others.some((build) => build > this.disturbance.build)) this.world.isAnnouncedInOrder = false;
    this.asleep = undefined;
    wake();
  }
  private hasSlept = false;
  private asleep: Promise<void> | undefined;
  /** Writes that were let through and have not ended. */
  private underWay = 0;

  /** Sleep comes before a write is let through, and not between that and its effect. */
  private sleepBefore(gate: WriteGate): void {
    let assertOurs: WriteGate["assertOurs"];
    Object.defineProperty(gate, "assertOurs", {
      get: () =>
        assertOurs &&
        (async () => {
          await this.sleepIfDue();
          await this.asleep;
          await assertOurs?.();
          this.underWay += 1;
        }),
      set: (fence: WriteGate["assertOurs"]) => {
        assertOurs = fence;
      },
    });
  }

  private openStore(): ObjectStore {
    const { store } = this.world;
    const read = <T>(call: () => Promise<T>): Promise<T> => this.step(false, call);
    const write = <T>(call: () => Promise<T>, isGated = true): Promise<T> =>
      this.step(true, call).finally(() => {
        if (isGated) this.underWay -= 1;
      });
    const hidesOpen = this.without === "open records";
    return {
      location: store.location,
      carriesHeaders: true,
      listsFromAnywhere: false,
      list: (below) => {
        const page = read(async () => {
          for await (const { objects, storeTimeMs } of store.list(below))
            return {
              storeTimeMs,
              objects: objects.filter(({ key }) => !(hidesOpen && key.startsWith(OPEN_PREFIX))),
            };
          throw new Error("a list has a page");
        });
        return (async function* () {
          yield await page;
        })();
      },
      head: (key) => read(() => store.head(key)),
      get: (key) => read(() => store.get(key)),
      put: (key, content, headers, condition) =>
        write(async () => {
          if (condition && this.meetsConflict())
            throw new StoreError("conflict", "409", { action: { do: "write", key } });
          if (key === HOLD_KEY && this.without === "the hold fences") return believe(condition);
          if (key === POINTER_KEY) this.isRecorded = true;
          this.written.add(`/${key}`);
          const spoilt = this.spoil(key, content);
          if (key.endsWith(".html") && this.without === "workers come last") await this.announceEarly();
          return store.put(key, spoilt, headers, this.without === "the hold fences" ? undefined : condition);
        }, !isUngated(key)),
      copy: (...args) => write(() => store.copy(...args)),
      remove: (keys, expected) =>
        write(() => {
          // The edge is asked while the removed page still stands, and not again.
          const isSite = keys.some((key) => !isStateKey(key));
          if (isSite && this.without === "removal before invalidation") this.postponed.push(...keys);
          else return store.remove(keys, expected);
          return Promise.resolve([]);
        }),
      abandonUploads: () => write(() => store.abandonUploads()),
      isPublic: () => read(() => store.isPublic()),
      readWebsite: () => read(() => store.readWebsite()),
      writeWebsite: (settings) => write(() => store.writeWebsite(settings)),
      close: () => undefined,
    };
  }
  private meetsConflict(): boolean {
    const { conflictsAt = Infinity, conflicts = 0 } = this.disturbance;
    if (this.taken < conflictsAt || this.conflicts >= conflicts) return false;
    this.conflicts += 1;
    return true;
  }
  private conflicts = 0;
  private readonly postponed: string[] = [];
  private readonly written = new Set<string>();

  /** Before the record a run without that remedy asks for nothing but what it has written itself. */
  private isSkipped(pattern: string): boolean {
    return this.without === "left assets are unmasked" && !this.isRecorded && !this.written.has(pattern);
  }

  /** What a run without a memory of debts would write. */
  private spoil(key: string, content: Parameters<ObjectStore["put"]>[1]): Parameters<ObjectStore["put"]>[1] {
    if (key !== POINTER_KEY || this.without !== "owed is remembered") return content;
    const text = Buffer.from(content.open() as Uint8Array).toString();
    const bytes = Buffer.from(JSON.stringify({ ...(JSON.parse(text) as object), owed: [] }));
    return { size: bytes.length, hash: hash("sha256", bytes), open: () => bytes };
  }

  private async announceEarly(): Promise<void> {
    const bytes = Buffer.from(filesOf(this.disturbance.build)["version.json"] ?? "");
    const content = { size: bytes.length, hash: hash("sha256", bytes), open: () => bytes };
    const standing = await this.world.store.head("version.json");
    if (standing) await this.world.store.put("version.json", content, standing.headers);
    for (const cache of this.world.caches) cache.purge(["/version.json"]);
  }

  private openEdge(cache: WorldCache, place: number): Edge {
    const name = place === 0 ? "near" : "far";
    const { edgeFails, onlyOuter, loses = 0 } = this.disturbance;
    cache.loses = loses;
    return toEdge({
      name,
      abilities: EDGES[this.world.edge],
      hasStatus: this.world.edge === "distribution",
      places: [name],
      confirmation: {
        settle: LONGEST_MISSING_MS / 1000,
        longestFetch: this.without === "fetches are waited for" ? 0 : LONGEST_FETCH_MS / 1000,
        readBack: { kind: this.without === "answers are read back" ? "off" : "all" },
        rewrites: false,
      },
      forget: ({ patterns }) =>
        this.step(true, async () => {
          if (edgeFails && !(onlyOuter && place < this.world.caches.length - 1)) {
            this.world.isOwing = true;
            throw new EdgeError(name, { kind: "other", answer: "not today" });
          }
          if (this.without === "new names are unmasked" && !this.isRecorded) return;
          cache.purge(patterns.filter((pattern) => !this.isSkipped(pattern)));
          await this.world.passTime();
          await this.world.store.remove(this.postponed.splice(0));
        }).catch((error: unknown) => {
          throw error instanceof EdgeError
            ? error
            : new EdgeError(name, { kind: "other", answer: String(error) });
        }),
      look: async (address) => {
        if (this.isDead) return undefined;
        const { status, text } = await cache.ask(address);
        return { status, headers: {}, hash: hash("sha256", text), size: text.length };
      },
    });
  }
}
