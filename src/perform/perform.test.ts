import { createHash, hash } from "node:crypto";
import { around } from "../../test/support/around.ts";
import { toEdge, toExactInvalidation } from "../../test/support/edges.ts";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import type { Pointer } from "../core/model/release.ts";
import { EdgeError, type Edge } from "../ports/edge.ts";
import { StoreError, type ObjectStore, type StoreErrorKind } from "../ports/object-store.ts";
import type { DeliveryEvent } from "../ports/reporter.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { DEFAULT_RETRIES } from "../core/delivery/retry.ts";
import { Pace } from "../core/delivery/pace.ts";
import type { CopyStep, RemoveStep, StepPhase } from "../core/model/plan.ts";
import { carryOut } from "./carry-out.ts";
import { toConditions, type PerformTools } from "./perform-tools.ts";
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
  const broken: ObjectStore = {
    ...{
      location: inner.location,
      carriesHeaders: true,
      abandonUploads: () => inner.abandonUploads(),
      list: (below) => inner.list(below),
      head: (key) => inner.head(key),
      get: (key) => flaky(() => inner.get(key)),
    },
    ...{
      put: (...args) => flaky(() => inner.put(...args)),
      copy: (...args) => flaky(() => inner.copy(...args)),
      remove: (...args) => flaky(() => inner.remove(...args)),
    },
    ...{
      isPublic: () => inner.isPublic(),
      readWebsite: () => inner.readWebsite(),
      writeWebsite: (settings) => inner.writeWebsite(settings),
      close: () => undefined,
    },
  };
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
  return {
    location: inner.location,
    carriesHeaders: true,
    abandonUploads: () => inner.abandonUploads(),
    list: (below) => inner.list(below),
    head: (key) => inner.head(key),
    get: (key) => inner.get(key),
    put,
    copy: (...args) => inner.copy(...args),
    remove: (...args) => inner.remove(...args),
    isPublic: () => inner.isPublic(),
    readWebsite: () => inner.readWebsite(),
    writeWebsite: (settings) => inner.writeWebsite(settings),
    close: () => undefined,
  };
};

test("a failed condition is never believed alone: our own success whose answer was lost is success", async () => {
  const inner = new MemoryStore();
  const { etag } = await switchPointer(conditional(inner, "precondition", true), pointer("ours"), "before");
  expect((await inner.head(".courier/current.json"))?.etag).toBe(etag);
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

test("a store without conditions gets the pointer when nothing moved", async () => {
  const inner = new MemoryStore();
  await switchPointer(conditional(inner, "conditions-unsupported", false), pointer("ours"), undefined);
  expect(await readText(await inner.get(".courier/current.json"))).toContain('"ours"');
});

test("edges are asked twice, from the store outwards; one that fails leaves the outer ones unasked", async () => {
  const asked: string[] = [];
  const edge = (name: string, fails = false): Edge =>
    toEdge({
      name,
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
    clock,
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

test("a copy that the store made of something else is not believed", async () => {
  const store = new MemoryStore();
  store.tamper("from", "other bytes than planned");
  const step = { do: "copy", from: "from", to: "to", storedHash: "a".repeat(64), size: 3, expected: "absent" } as const;
  const tools = {
    store,
    clock,
    report: () => undefined,
    ...{ pace: new Pace(), conditions: toConditions(true), assertGoesOn: () => undefined, findParcel: () => undefined },
    progress: { written: 0 },
    open: () => content("x"),
  };
  await expect(carryOut({ name: "keep", groups: [{ name: "g", steps: [step] }] }, tools)).rejects.toMatchObject({ code: "copy-differs" });
  await expect(carryOut({ name: "keep", groups: [{ name: "g", steps: [{ ...step, fromEtag: "gone" }] }] }, tools)).rejects.toMatchObject({
    code: "changed-meanwhile",
  });
}); // prettier-ignore

test("a relabelling copy whose answer was lost has changed its own source: read back, it is success", async () => {
  const inner = new MemoryStore();
  inner.tamper("page.txt", "abc", { "content-type": "text/plain" });
  const etag = (await inner.head("page.txt"))?.etag ?? "";
  const fresh = `${createHash("md5").update(Buffer.from(etag, "hex")).digest("hex")}-1`;
  const headers = { "content-type": "text/markdown" };
  const store = around(inner, {
    copy: () => Promise.reject(new StoreError("precondition", "412", { action: { do: "copy", from: "" } })),
    head: () => Promise.resolve({ size: 3, etag: fresh, headers }),
  });
  const step: CopyStep = {
    ...{ do: "copy", from: "page.txt", fromEtag: etag, to: "page.txt", headers, size: 3 },
    ...{ storedHash: "a".repeat(64), freshEtag: true, expected: { etag } },
  };
  const tools: PerformTools = {
    ...{ store, clock, report: () => undefined, progress: { written: 0 }, open: () => content("x") },
    ...{
      pace: new Pace(),
      conditions: toConditions(true),
      assertGoesOn: () => undefined,
      findParcel: () => undefined,
    },
  };
  const relabel = (one: CopyStep) =>
    carryOut({ name: "switch", groups: [{ name: "g", steps: [one] }] }, tools);
  expect(await relabel(step)).toEqual(new Map([["page.txt", fresh]]));
  await expect(relabel({ ...step, headers: { "content-type": "text/css" } })).rejects.toMatchObject({ code: "changed-meanwhile" }); // prettier-ignore
});

const toTools = (store: ObjectStore, told: string[] = []): PerformTools & { left: string[] } => {
  const left: string[] = [];
  return {
    ...{ store, clock, progress: { written: 0 }, open: () => content("x"), pace: new Pace(), left },
    ...{ conditions: toConditions(true), assertGoesOn: () => undefined, findParcel: () => undefined },
    report: (event) => event.event === "warning" && told.push(event.warning.code),
    noteLeft: (key) => left.push(key),
  };
};
const sha256 = (text: string): string => createHash("sha256").update(text).digest("hex");

test.each([{}, { opaqueEtags: true }])(
  "a copy whose answer was lost is found again, whatever the store's ETags are; another's write there is not: %j",
  async (traits) => {
    const inner = new MemoryStore(undefined, undefined, traits);
    inner.tamper("from", "abc", { "content-type": "text/plain" });
    inner.tamper("page.txt", "abc", { "content-type": "text/plain" });
    let loses = true;
    const store = around(inner, {
      copy: async (...args) => {
        if (loses) await inner.copy(...args);
        // The answer is lost, and the same is asked for again.
        return inner.copy(...args);
      },
    });
    const etagOf = async (key: string): Promise<string> => (await inner.head(key))?.etag ?? "";
    const headers = { "content-type": "text/markdown" };
    const common = { do: "copy", size: 3, storedHash: sha256("abc") } as const;
    const steps: CopyStep[] = [
      { ...common, from: "from", fromEtag: await etagOf("from"), to: "to", expected: "absent" },
      { ...common, from: "page.txt", fromEtag: await etagOf("page.txt"), to: "page.txt", headers, expected: { etag: await etagOf("page.txt") } },
    ]; // prettier-ignore
    const run = (step: CopyStep) =>
      carryOut({ name: "switch", groups: [{ name: "g", steps: [step] }] }, toTools(store));
    for (const step of steps) expect(await run(step)).toEqual(new Map([[step.to, await etagOf(step.to)]]));
    loses = false;
    inner.tamper("to", "xyz", { "content-type": "text/plain" });
    await expect(run(steps[0] as CopyStep)).rejects.toMatchObject({ code: "changed-meanwhile", data: { key: "to" } }); // prettier-ignore
    expect(await readText(await inner.get("to"))).toBe("xyz");
  },
);

test("what this very phase has written is pinned as the source of a copy, and so is what one before it has", async () => {
  const inner = new MemoryStore();
  const pins: (string | undefined)[] = [];
  const store = around(inner, {
    copy: (from, ...rest) => {
      pins.push(from.etag);
      return inner.copy(from, ...rest);
    },
  });
  const parcel = {
    key: "a",
    hash: sha256("x"),
    storedHash: sha256("x"),
    size: 1,
    role: "page",
    headers: {},
  } as never;
  const copyTo = (to: string): CopyStep => ({ do: "copy", from: "a", to, storedHash: sha256("x"), size: 1, expected: "absent" }); // prettier-ignore
  const groups = [
    { name: "send", steps: [{ do: "send", parcel, expected: "absent" } as const] },
    { name: "copy", steps: [copyTo("b")] },
  ];
  const etags = await carryOut({ name: "switch", groups }, toTools(store));
  await carryOut({ name: "keep", groups: [{ name: "g", steps: [copyTo("c")] }] }, toTools(store), etags);
  const etag = (await inner.head("a"))?.etag;
  expect([pins, etags.get("b")]).toEqual([[etag, etag], etag]);
});

test("what somebody else has written is neither copied over nor removed; a store that can't tell is worked with", async () => {
  for (const checks of [undefined, "puts"] as const) {
    const store = new MemoryStore(undefined, undefined, checks && { checks });
    for (const key of ["from", "to", "stale.js", "gone.html"]) store.tamper(key, key);
    const etag = (await store.head("from"))?.etag ?? "";
    const tools = toTools(store);
    const removal = { do: "remove", etag: "of before", size: 1 } as const;
    const clear: StepPhase = {
      name: "clear",
      groups: [{ name: "g", steps: [{ ...removal, key: "stale.js" }] }],
    };
    const away: StepPhase = {
      name: "switch",
      groups: [{ name: "g", steps: [{ ...removal, key: "gone.html" }] }],
    };
    const copy: CopyStep = { do: "copy", from: "from", fromEtag: etag, to: "to", storedHash: sha256("from"), size: 4, expected: { etag: "of before" } }; // prettier-ignore
    const ends = await Promise.allSettled([
      carryOut(clear, tools),
      carryOut(away, tools),
      carryOut({ name: "switch", groups: [{ name: "g", steps: [copy] }] }, tools),
    ]);
    const isChecked = checks === undefined;
    expect(ends.map(({ status }) => status)).toEqual(
      isChecked ? ["fulfilled", "rejected", "rejected"] : ["fulfilled", "fulfilled", "fulfilled"],
    );
    expect(tools.left).toEqual(isChecked ? ["stale.js"] : []);
    const standing = [await store.head("stale.js"), await store.head("gone.html")];
    expect(standing.map((facts) => facts !== undefined)).toEqual([isChecked, isChecked]);
    expect(await readText(await store.get("to"))).toBe(isChecked ? "to" : "from");
  }
});

test.each([
  // Both conditions, then the target's alone, then none; and for the next one none at once.
  ["precondition", 4],
  ["conditions-unsupported", 3],
  ["other", 3],
] as const)(
  "a store that answers %s to conditions which hold is found out, and done without",
  async (kind, calls) => {
    const inner = new MemoryStore();
    let asked = 0;
    const store = around(inner, {
      copy: (from, to, headers, condition) => {
        asked += 1;
        if (condition)
          return Promise.reject(new StoreError(kind, "refused", { action: { do: "copy", from: "" } }));
        return inner.copy(from, to, headers);
      },
      remove: (keys, expected) => (expected ? Promise.resolve(keys) : inner.remove(keys)),
    });
    for (const key of ["a", "b", "c"]) inner.tamper(key, key);
    const etagOf = async (key: string): Promise<string> => (await inner.head(key))?.etag ?? "";
    const steps = await Promise.all(
    ["a", "b"].map(async (key): Promise<CopyStep> => ({ do: "copy", from: key, fromEtag: await etagOf(key), to: `${key}2`, storedHash: sha256(key), size: 1, expected: "absent" })),
  ); // prettier-ignore
    const tools = toTools(store);
    for (const step of steps)
      await carryOut({ name: "stock", groups: [{ name: "g", steps: [step] }] }, tools);
    expect([asked, tools.conditions.copies]).toEqual([calls, false]);
    const removal: RemoveStep = { do: "remove", key: "c", etag: await etagOf("c"), size: 1 };
    await carryOut({ name: "clear", groups: [{ name: "g", steps: [removal] }] }, tools);
    expect([tools.left, tools.conditions.removals, await inner.head("c")]).toEqual([[], false, undefined]);
  },
);
