import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { createTally, type CountRequest } from "../ports/object-store.ts";
import type { DeliveryEvent } from "../ports/reporter.ts";
import { toEdge } from "../../test/support/edges.ts";
import { memoryDelivery, STILL } from "../../test/support/memory-build.ts";
import { OPTIONS, site, Stage } from "../../test/support/stage.ts";
import { compare } from "./compare.ts";
import { deliver } from "./deliver.ts";
import { createStopwatch } from "./stopwatch.ts";

/** What a run tells of itself: seconds, requests, what it kept, and what it warns of. */

test("laps take the time since the one before, one of the same name is added to it, and a person's time is left out", () => {
  let nowMs = 5000;
  const stopwatch = createStopwatch({ ...STILL, monotonicMs: () => nowMs });
  const pass = (ms: number): void => void (nowMs += ms);
  pass(1500);
  stopwatch.lap("gather");
  pass(60_000);
  stopwatch.skip();
  pass(250);
  stopwatch.lap("hold");
  pass(500);
  stopwatch.lap("gather");
  expect(stopwatch.laps).toEqual([
    { name: "gather", seconds: 2 },
    { name: "hold", seconds: 0.25 },
  ]);
});

test("with a clock that moves a second with each call of the store and seven with each of the edge, all adds up", async () => {
  let nowMs = 1_000_000;
  let tally = createTally();
  const count: CountRequest = (kind): void => {
    nowMs += 1000;
    tally.requests[kind] += 1;
  };
  const store = new MemoryStore(count, () => nowMs);
  const clock = { ...STILL, now: () => new Date(nowMs), monotonicMs: () => nowMs, sleep: (ms: number) => Promise.resolve(void (nowMs += ms)) }; // prettier-ignore
  const edges = [toEdge({ name: "near", forget: () => Promise.resolve(void (nowMs += 7000)) })];
  const run = (name: string) => {
    tally = createTally();
    const retention = { releases: 2, forSeconds: 1e6 };
    return deliver(memoryDelivery({ files: site(name), store, clock, edges, tally, retention }), OPTIONS);
  };
  await run("one");
  const began = nowMs;
  const { phases, requests } = await run("two");
  expect(phases).toEqual([
    // The pointer, its waybill, the list, and the names that are immutable.
    { name: "gather", seconds: 4 },
    // Who has it, taking it, and whether the pointer moved.
    { name: "hold", seconds: 3 },
    { name: "keep", seconds: 4 },
    { name: "stock", seconds: 1 },
    // The edge is asked twice: at once, and when no fetch from before can be under way.
    { name: "unmask", seconds: 14 },
    { name: "switch", seconds: 3 },
    { name: "record", seconds: 3 },
    { name: "invalidate", seconds: 14 },
  ]);
  const calls = Object.values(requests).reduce((sum, many) => sum + many, 0);
  // The second list is of the hold alone, with the store's own time.
  expect(requests).toMatchObject({ list: 2, copy: 2, delete: 1, head: 0, multipart: 0, retried: 0 });
  // What passed besides is the letting go.
  expect((nowMs - began) / 1000).toBe(calls + 28 + 1);
});

test("chunks of earlier releases are told with the last release that had them; what others changed or put there is warned of", async () => {
  const stage = new Stage();
  stage.retention = { releases: 2, forSeconds: 3600 };
  for (const name of ["one", "two"]) await stage.deliver(site(name));
  const { kept, pruned, warnings } = await stage.deliver(site("three"));
  expect([kept.map(({ key, lastIn }) => [key, lastIn]), pruned, warnings]).toEqual([
    [["assets/one-1f2e3d4c.js", 1], ["assets/two-1f2e3d4c.js", 2]], [], [],
  ]); // prettier-ignore
  stage.store.tamper("index.html", "somebody else");
  stage.store.tamper("theirs.txt", "theirs");
  const { warnings: told, counts } = await compare(stage.delivery(site("three")), { all: false });
  expect(told).toEqual([
    expect.stringContaining(
      "changed or removed outside this tool since release 3; a delivery restores them: index.html",
    ),
    "foreign, not delivered by this tool; left alone: theirs.txt",
  ]);
  expect([counts.drifted, counts.foreign]).toEqual([1, 1]);
});

test("what an edge fails at in each round is told once", async () => {
  const stage = new Stage();
  stage.edgeConfirms = false;
  await stage.deliver(site("one"));
  const told: DeliveryEvent[] = [];
  const { run, ...delivery } = stage.delivery(site("two"));
  await deliver({ ...delivery, run: { ...run, report: (event) => told.push(event) } }, OPTIONS);
  const codes = told.flatMap((event) => (event.event === "warning" ? [event.warning.code] : []));
  expect(codes.filter((code) => code === "edge-failed")).toHaveLength(1);
});
