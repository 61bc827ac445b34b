import { createHash } from "node:crypto";
import { around } from "../../test/support/around.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { Pace } from "../core/delivery/pace.ts";
import type { CopyStep, RemoveStep, StepPhase } from "../core/model/plan.ts";
import { StoreError, type ObjectStore } from "../ports/object-store.ts";
import { carryOut } from "./carry-out.ts";
import { toConditions, type PerformTools } from "./perform-tools.ts";

const content = (text: string) => ({ size: text.length, hash: sha256(text), open: () => Buffer.from(text) });
const sha256 = (text: string): string => createHash("sha256").update(text).digest("hex");
const clock = {
  now: () => new Date(0),
  monotonicMs: () => 0,
  random: () => 1,
  every: () => () => undefined,
  sleep: () => Promise.resolve(),
};
const toTools = (store: ObjectStore, told: string[] = []): PerformTools & { left: string[] } => {
  const left: string[] = [];
  return {
    ...{ store, clock, progress: { written: 0 }, open: () => content("x"), pace: new Pace(), left },
    ...{
      conditions: toConditions(true),
      assertGoesOn: () => undefined,
      findParcel: () => undefined,
      findContent: () => undefined,
    },
    report: (event) => event.event === "warning" && told.push(event.warning.code),
    noteLeft: (key) => left.push(key),
  };
};

test("a copy that the store made of something else is not believed", async () => {
  const store = new MemoryStore();
  store.tamper("from", "other bytes than planned");
  const step = { do: "copy", from: "from", to: "to", storedHash: "a".repeat(64), size: 3, expected: "absent" } as const;
  const tools = toTools(store);
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
  const tools = toTools(store);
  const relabel = (one: CopyStep) =>
    carryOut({ name: "switch", groups: [{ name: "g", steps: [one] }] }, tools);
  expect(await relabel(step)).toEqual(new Map([["page.txt", fresh]]));
  await expect(relabel({ ...step, headers: { "content-type": "text/css" } })).rejects.toMatchObject({ code: "changed-meanwhile" }); // prettier-ignore
});

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
