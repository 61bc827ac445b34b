import { showWarning } from "../words/warnings.ts";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { around } from "../../test/support/around.ts";
import { STILL } from "../../test/support/memory-build.ts";
import { StoreError, type Condition, type ObjectStore } from "../ports/object-store.ts";
import { takeHold, type HoldTools } from "./hold.ts";
import { withRetries } from "./retry.ts";

let nowMs = 0;
beforeEach(() => {
  nowMs = 1_000_000;
});
const clock = {
  ...STILL,
  now: () => new Date(nowMs),
  monotonicMs: () => nowMs,
  sleep: (ms: number) => {
    nowMs += ms;
    return Promise.resolve();
  },
};
const told: string[] = [];
const toolsOf = (store: ObjectStore, run: string, more: Partial<HoldTools> = {}): HoldTools => ({
  ...{ store, clock, run, by: "harbour", leaseSeconds: 30 },
  machine: { describe: () => ({ host: run, process: 1, processStart: "" }), isAlive: () => undefined },
  report: (event) => event.event === "warning" && told.push(showWarning(event.warning)),
  assertGoesOn: () => undefined,
  ...more,
});
const NOW = { work: "deliver", queueSeconds: 0 };
const open = (): MemoryStore => new MemoryStore(undefined, () => nowMs);

test("the second waits or is told who has it; once let go it is free, and nothing was removed", async () => {
  const store = open();
  const first = await takeHold(toolsOf(store, "first"), NOW);
  expect([first.hasConditions, first.before]).toEqual([true, undefined]);
  await expect(takeHold(toolsOf(store, "second"), NOW)).rejects.toMatchObject({ code: "held" });
  await first.letGo();
  const second = await takeHold(toolsOf(store, "second"), NOW);
  expect(second.before).toMatchObject({ isReleased: true });
  expect(store.trace.filter((entry) => entry.startsWith("remove"))).toEqual([]);
});

test("a hold that nobody renews is taken after its lease, and its owner notices before its next write", async () => {
  const store = open();
  const first = await takeHold(toolsOf(store, "first"), NOW);
  const began = nowMs;
  const second = await takeHold(toolsOf(store, "second"), { work: "deliver", queueSeconds: 60 });
  expect(told.at(-1)).toMatch(/^waiting for deliver, run by harbour on first \(process 1, since 1970-/);
  expect(nowMs - began).toBeGreaterThanOrEqual(30_000);
  expect(nowMs - began).toBeLessThan(33_000);
  await expect(first.assertOurs()).rejects.toMatchObject({ code: "hold-lost" });
  await first.letGo();
  await second.assertOurs();
  await expect(takeHold(toolsOf(store, "third"), NOW)).rejects.toMatchObject({ code: "held" });
});

test("a hold is renewed by the writes that ask for it, for as long as it takes", async () => {
  const store = open();
  const first = await takeHold(toolsOf(store, "first"), NOW);
  for (let step = 0; step < 20; step++) {
    nowMs += 12_000;
    await first.assertOurs();
    // The renewal that was begun on the side ends.
    await new Promise((done) => setImmediate(done));
    await expect(takeHold(toolsOf(store, "second"), NOW)).rejects.toMatchObject({ code: "held" });
  }
  // The machine slept: nobody else was there, so it goes on.
  nowMs += 600_000;
  await first.assertOurs();
});

test("a dead process on the same machine blocks nobody", async () => {
  const store = open();
  await takeHold(toolsOf(store, "first"), NOW);
  const machine = { describe: () => ({ host: "h", process: 2, processStart: "" }), isAlive: () => false };
  await takeHold(toolsOf(store, "second", { machine }), NOW);
});

/** Everything that was begun on the side has ended. */
const settled = (): Promise<void> => new Promise((done) => setImmediate(done));

/** The same store with other puts. */
const withPut = (inner: MemoryStore, put: ObjectStore["put"]): ObjectStore => around(inner, { put });

test("an answer that was lost is read back before anything is believed", async () => {
  const inner = open();
  let puts = 0;
  const store = withPut(inner, async (...args) => {
    await inner.put(...args);
    puts += 1;
    throw new StoreError("precondition", "seen too late", { action: { do: "write", key: "" } });
  });
  const hold = await takeHold(toolsOf(store, "first"), NOW).catch((error: unknown) => error);
  expect([puts > 0, hold]).toEqual([true, expect.objectContaining({ before: undefined })]);
  // What refuses a condition checks them.
  expect(hold).toMatchObject({ hasConditions: true });
});

const refusing =
  (kind: "conditions-unsupported" | "precondition") =>
  (condition: Condition): boolean =>
    kind === "conditions-unsupported" || "ifEtag" in condition;

test.each([
  ["says that it knows no conditions", "conditions-unsupported", refusing("conditions-unsupported")],
  ["ignores conditions", "precondition", () => false],
  ["refuses those that hold and ignores the others", "precondition", refusing("precondition")],
] as const)(
  "a store that %s is found out, and the hold still keeps two apart by looking",
  async (_, kind, refuses) => {
    const inner = open();
    const store = withPut(inner, (key, content, headers, condition) =>
      condition && refuses(condition)
        ? Promise.reject(new StoreError(kind, "refused", { action: { do: "write", key: "" } }))
        : inner.put(key, content, headers),
    );
    const first = await takeHold(toolsOf(store, "first"), NOW);
    expect(first.hasConditions).toBe(false);
    await expect(takeHold(toolsOf(store, "second"), NOW)).rejects.toMatchObject({ code: "held" });
    nowMs += 12_000;
    await first.assertOurs();
    await first.letGo();
    expect((await takeHold(toolsOf(store, "second"), NOW)).hasConditions).toBe(false);
  },
);

test("a bucket in which conditions worked, and then do not, keeps nobody waiting", async () => {
  const inner = open();
  const first = await takeHold(toolsOf(inner, "first"), NOW);
  expect(first.hasConditions).toBe(true);
  await first.letGo();
  // Versioning was switched on meanwhile.
  const store = withPut(inner, (key, content, headers, condition) =>
    condition && "ifEtag" in condition
      ? Promise.reject(new StoreError("precondition", "412", { action: { do: "write", key: "" } }))
      : inner.put(key, content, headers),
  );
  const second = await takeHold(toolsOf(store, "second"), NOW);
  expect(second.hasConditions).toBe(false);
  await expect(takeHold(toolsOf(store, "third"), NOW)).rejects.toMatchObject({ code: "held" });
  await second.assertOurs();
});

test("a renewal that was refused is no renewal: the run stops before its next write, whoever comes", async () => {
  const inner = open();
  let refuses = false;
  const store = withPut(inner, (key, content, headers, condition) =>
    refuses
      ? Promise.reject(new StoreError("precondition", "412", { action: { do: "write", key: "" } }))
      : inner.put(key, content, headers, condition),
  );
  const first = await takeHold(toolsOf(store, "first"), NOW);
  refuses = true;
  for (let step = 0; step < 3; step++) {
    nowMs += 11_000;
    const asserted = await first.assertOurs().then(
      () => "ours",
      (error: unknown) => (error as { code: string }).code,
    );
    await settled();
    // Half a lease after the last renewal that the store has confirmed, and no later.
    expect([step, asserted]).toEqual([step, step === 0 ? "ours" : "hold-lost"]);
  }
  expect((await takeHold(toolsOf(inner, "second"), NOW)).hasConditions).toBe(true);
});

test("a renewal whose answer was lost counts from when it was begun; a late one of before counts for nothing", async () => {
  const inner = open();
  let behave: "well" | "lost answer" | "late" = "well";
  const late: (() => Promise<unknown>)[] = [];
  const store = withPut(inner, async (...args) => {
    if (behave === "well") return inner.put(...args);
    if (behave === "lost answer") await inner.put(...args);
    else late.push(() => inner.put(...args));
    throw new StoreError(behave === "late" ? "unreachable" : "precondition", "lost", {
      action: { do: "write", key: "" },
    });
  });
  const first = await takeHold(toolsOf(store, "first"), NOW);
  behave = "lost answer";
  nowMs += 16_000;
  await first.assertOurs();
  // This one reaches the store only later, when the machine has slept for longer than a lease.
  behave = "late";
  nowMs += 11_000;
  await first.assertOurs();
  await settled();
  await late[0]?.();
  behave = "well";
  nowMs += 60_000;
  await first.assertOurs();
  await expect(takeHold(toolsOf(inner, "second"), NOW)).rejects.toMatchObject({ code: "held" });
});

test("a machine that slept while a renewal was under way has its hold still, where nobody else came", async () => {
  const inner = open();
  let wake = (): void => undefined;
  let sleeps = false;
  const store = withPut(inner, async (...args) => {
    const written = await inner.put(...args);
    if (sleeps) await new Promise<void>((done) => (wake = done));
    return written;
  });
  const first = await takeHold(toolsOf(store, "first"), NOW);
  sleeps = true;
  nowMs += 11_000;
  await first.assertOurs();
  await settled();
  sleeps = false;
  nowMs += 120_000;
  const asserted = first.assertOurs();
  wake();
  await asserted;
  await expect(takeHold(toolsOf(inner, "second"), NOW)).rejects.toMatchObject({ code: "held" });
});

test("a run that is killed while it tries conditions out leaves no word that they are checked", async () => {
  const inner = open();
  let puts = 0;
  const ignoring = withPut(inner, (key, content, headers) => {
    puts += 1;
    // Killed right after the write that a store which checks conditions would have refused.
    return puts > 2 ? new Promise<never>(() => undefined) : inner.put(key, content, headers);
  });
  void takeHold(toolsOf(ignoring, "first"), NOW);
  while (puts < 2) await settled();
  nowMs += 60_000;
  const store = withPut(inner, (key, content, headers) => inner.put(key, content, headers));
  expect((await takeHold(toolsOf(store, "second"), NOW)).hasConditions).toBe(false);
});

test("two that try out a store which ignores conditions at the same moment see each other: one has it", async () => {
  const inner = open();
  const store = withPut(inner, (key, content, headers) => inner.put(key, content, headers));
  // Both have looked before either has written, and each goes on only while the other waits.
  const ends = await Promise.allSettled([
    takeHold(toolsOf(store, "first"), NOW),
    takeHold(toolsOf(store, "second"), NOW),
  ]);
  expect(ends.map(({ status }) => status).sort()).toEqual(["fulfilled", "rejected"]);
});

test("a conflict with another write that is under way is tried again, and is no word on conditions", async () => {
  const inner = open();
  let conflicts = 3;
  const busy = withPut(inner, (...args) => {
    conflicts -= 1;
    return conflicts >= 0
      ? Promise.reject(new StoreError("conflict", "409", { action: { do: "write", key: "" } }))
      : inner.put(...args);
  });
  const store = withRetries(busy, { clock, report: () => undefined, countRetry: () => undefined });
  const first = await takeHold(toolsOf(store, "first"), NOW);
  expect(first.hasConditions).toBe(true);
  await expect(takeHold(toolsOf(inner, "second"), NOW)).rejects.toMatchObject({ code: "held" });
});

test("one refusal of a condition that holds, with nothing changed, is tried once more before conditions are given up", async () => {
  const inner = open();
  const before = await takeHold(toolsOf(inner, "before"), NOW);
  await before.letGo();
  let refusals = 1;
  const store = withPut(inner, (...args) => {
    refusals -= 1;
    return refusals >= 0
      ? Promise.reject(new StoreError("precondition", "412", { action: { do: "write", key: "" } }))
      : inner.put(...args);
  });
  expect((await takeHold(toolsOf(store, "first"), NOW)).hasConditions).toBe(true);
});
