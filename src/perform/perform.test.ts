import { hash } from "node:crypto";
import { around } from "../../test/support/around.ts";
import { toEdge, toExactInvalidation } from "../../test/support/edges.ts";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import type { Pointer } from "../core/model/release.ts";
import { EdgeError, type Edge } from "../ports/edge.ts";
import { StoreError, type ObjectStore, type StoreErrorKind } from "../ports/object-store.ts";
import type { DeliveryEvent } from "../ports/reporter.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { DEFAULT_RETRIES } from "../core/delivery/retry.ts";
import { WayBook } from "./edge-ways.ts";
import { askEdges } from "./invalidate.ts";
import { runPool } from "../core/delivery/pool.ts";
import { switchPointer } from "./record.ts";
import { withRetries } from "./retry.ts";

const slept: number[] = [];
const clock = {
  now: () => new Date(0),
  monotonicMs: () => 0,
  random: () => 1,
  every: () => () => undefined,
  sleep: (ms: number) => {
    slept.push(ms);
    return Promise.resolve();
  },
};
beforeEach(() => slept.splice(0));

const content = (text: string) => ({
  size: text.length,
  hash: hash("sha256", text),
  open: () => Buffer.from(text),
});

/** A store whose calls fail so often before they work. */
function failing(
  kind: StoreErrorKind,
  times: number,
  facts: object = {},
): { store: ObjectStore; calls: () => number; retried: () => number; events: DeliveryEvent[] } {
  const inner = new MemoryStore();
  let [calls, retried] = [0, 0];
  const events: DeliveryEvent[] = [];
  const flaky = <T>(call: () => Promise<T>): Promise<T> => {
    calls += 1;
    return calls <= times
      ? Promise.reject(new StoreError(kind, "failed", { action: { do: "use", key: "" }, ...facts }))
      : call();
  };
  const broken = around(inner, {
    get: (key) => flaky(() => inner.get(key)),
    put: (...args) => flaky(() => inner.put(...args)),
    copy: (...args) => flaky(() => inner.copy(...args)),
    remove: (...args) => flaky(() => inner.remove(...args)),
  });
  const store = withRetries(broken, {
    clock,
    report: (event) => events.push(event),
    countRetry: () => (retried += 1),
  });
  return { store, calls: () => calls, retried: () => retried, events };
}

test.each(["server", "throttled", "unreachable"] as const)(
  "a %s failure is tried again and told",
  async (kind) => {
    const { store, retried, events } = failing(kind, 3);
    await store.put("a", content("x"), {});
    expect(await readText(await store.get("a"))).toBe("x");
    expect([retried(), events.length, slept]).toEqual([3, 3, [200, 400, 800]]);
  },
);

test.each(["denied", "no-such-bucket", "credentials-refused", "precondition", "integrity", "clock-skew"] as const)("a %s failure is permanent", async (kind) => {
  const { store, calls } = failing(kind, 1);
  await expect(store.get("a")).rejects.toMatchObject({ kind });
  expect(calls()).toBe(1);
}); // prettier-ignore

test("a store that nobody answers at is given up sooner, and what the server asked for is waited", async () => {
  const dead = failing("unreachable", 99, { code: "ECONNREFUSED" });
  await expect(dead.store.get("a")).rejects.toMatchObject({ kind: "unreachable" });
  expect(dead.calls()).toBe(4);
  slept.splice(0);
  const shaky = failing("unreachable", 99, { code: "ECONNRESET" });
  await expect(shaky.store.get("a")).rejects.toMatchObject({ kind: "unreachable" });
  expect(shaky.calls()).toBe(DEFAULT_RETRIES.tries);
  slept.splice(0);
  const busy = failing("throttled", 1, { retryAfterMs: 7000 });
  await busy.store.remove(["a"]);
  expect(slept).toEqual([7000]);
});

test("a pool runs at most so many side by side, in order, and starts nothing after a failure", async () => {
  let [running, most] = [0, 0];
  const started: number[] = [];
  const work = runPool(
    [1, 2, 3, 4, 5, 6, 7, 8],
    () => 3,
    async (item) => {
      started.push(item);
      most = Math.max(most, ++running);
      await new Promise((done) => setTimeout(done, 5));
      running -= 1;
      if (item === 1) throw new Error("first");
    },
  );
  await expect(work).rejects.toThrow("first");
  expect([most, running, started]).toEqual([3, 0, [1, 2, 3]]);
  await runPool(
    [],
    () => 3,
    () => Promise.reject(new Error("never")),
  );
});

const pointer = (run: string): Pointer => ({
  site: "s", release: 2, run, owed: [], announced: {}, retained: [{ release: 2, run, waybillHash: "a".repeat(64), at: "", pageFreshnessSeconds: 0 }],
}); // prettier-ignore

/** A store whose conditional put fails as told, with or without its effect. */
const conditional = (inner: MemoryStore, kind: StoreErrorKind, takesEffect: boolean): ObjectStore => {
  const put: ObjectStore["put"] = async (key, body, headers, condition) => {
    if (condition === undefined || takesEffect) await inner.put(key, body, headers);
    if (condition === undefined) return { etag: (await inner.head(key))?.etag ?? "" };
    throw new StoreError(kind, "refused", { action: { do: "write", key: "" } });
  };
  return around(inner, { put });
};

test("a failed condition is never believed alone: our own success whose answer was lost is success", async () => {
  const inner = new MemoryStore();
  const { etag } = await switchPointer(conditional(inner, "precondition", true), pointer("ours"), "before");
  expect((await inner.head(".courier/current.json"))?.etag).toBe(etag);
  // A long one is packed.
  const addresses = Array.from({ length: 9000 }, (_, page) => `/crossings/${page}/`);
  const long = { ...pointer("ours"), owed: [{ edge: "near", addresses }] };
  const written = await switchPointer(conditional(inner, "precondition", true), long, "before");
  expect(await inner.head(".courier/current.json")).toMatchObject({
    etag: written.etag,
    headers: { "content-type": "application/gzip" },
  });
  await expect(switchPointer(conditional(inner, "precondition", false), pointer("later"), "before")).rejects.toMatchObject({ code: "moved-meanwhile", data: { release: 2 } }); // prettier-ignore
});

test("a pointer that another run has moved stops this one, with and without conditions of the store", async () => {
  for (const kind of ["precondition", "conditions-unsupported"] as const) {
    const inner = new MemoryStore();
    await switchPointer(inner, pointer("theirs"), undefined);
    await expect(
      switchPointer(conditional(inner, kind, false), pointer("ours"), "before"),
    ).rejects.toMatchObject({ code: "moved-meanwhile", data: { release: 2 } });
    expect(await readText(await inner.get(".courier/current.json"))).toContain('"theirs"');
  }
});

test("a store that refuses a condition which holds, again and again, gets the pointer without one", async () => {
  const inner = new MemoryStore();
  const { etag } = await switchPointer(inner, pointer("before"), undefined);
  await switchPointer(conditional(inner, "precondition", false), pointer("ours"), etag);
  expect(await readText(await inner.get(".courier/current.json"))).toContain('"ours"');
});

test("a store without conditions gets the pointer when nothing moved", async () => {
  const inner = new MemoryStore();
  await switchPointer(conditional(inner, "conditions-unsupported", false), pointer("ours"), undefined);
  expect(await readText(await inner.get(".courier/current.json"))).toContain('"ours"');
});

test("edges are asked twice, from the store outwards; one that fails leaves the outer ones unasked", async () => {
  const asked: string[] = [];
  const edge = (name: string, fails = false): Edge =>
    toEdge({
      ...{ name, confirmation: { settle: 2, longestFetch: 0, readBack: { kind: "off" }, rewrites: false } },
      forget: ({ patterns, run }) => {
        asked.push(`${name} ${patterns.join()} ${run}`);
        return fails
          ? Promise.reject(new EdgeError(name, { kind: "other", answer: "not today" }))
          : Promise.resolve();
      },
    });
  const events: DeliveryEvent[] = [];
  const addressRules = { forms: ["file"], basePath: "/", indexName: "index.html" } as const;
  const tools = {
    edges: [edge("inner"), edge("middle", true), edge("outer")],
    // Time passes only where somebody waits.
    clock: { ...clock, monotonicMs: () => slept.reduce((sum, ms) => sum + ms, 0) },
    report: (event: DeliveryEvent) => events.push(event),
    run: "run-1",
    book: new WayBook({ store: new MemoryStore(), clock, run: "run-1", addressOf: (key) => `/${key}`, indexName: "index.html" }),
    facts: { parcels: [], addressRules, loadEarlier: () => Promise.resolve([]), isVaulted: () => false },
  }; // prettier-ignore
  const requests = ["inner", "middle", "outer"].map((name) => toExactInvalidation(name, ["/"]));
  const outcomes = await askEdges(tools, { phase: "invalidate", requests, lastWriteMs: 0 });
  expect(outcomes.map(({ edge: name, left }) => [name, [...left]])).toEqual([
    ["inner", []],
    ["middle", ["/"]],
    ["outer", ["/"]],
  ]);
  expect(asked).toEqual(["inner / run-1", "inner / run-1", "middle / run-1"]);
  expect(events).toContainEqual(expect.objectContaining({ event: "phase", state: "ended", seconds: 2 }));
  expect(events.filter(({ event }) => event === "warning")).toEqual([
    expect.objectContaining({
      warning: { code: "edge-failed", edge: "middle", failure: { kind: "other", answer: "not today" } },
    }),
  ]);
});

test("an edge that nobody can look at, and nobody is to look through, has confirmed nothing", async () => {
  const events: DeliveryEvent[] = [];
  const confirmation = { settle: 0, longestFetch: 0, readBack: { kind: "all" }, rewrites: false } as const;
  const tools = {
    ...{ edges: [toEdge({ name: "near", confirmation })], clock, run: "run-1" },
    report: (event: DeliveryEvent) => events.push(event),
    book: new WayBook({ store: new MemoryStore(), clock, run: "run-1", addressOf: (key) => `/${key}`, indexName: "index.html" }),
    facts: { parcels: [], addressRules: { forms: ["file"], basePath: "/", indexName: "index.html" }, loadEarlier: () => Promise.resolve([]), isVaulted: () => false },
  } as const;
  const requests = [toExactInvalidation("near", ["/a", "/b"])];
  const [outcome] = await askEdges(tools, { phase: "invalidate", requests, lastWriteMs: 0 });
  expect([outcome?.settled, [...(outcome?.left ?? [])].sort(), outcome?.failure]).toEqual([[], ["/a", "/b"], { kind: "unseen" }]);
  expect(events).toContainEqual({ event: "warning", warning: { code: "edge-failed", edge: "near", failure: { kind: "unseen" } } });
}); // prettier-ignore
