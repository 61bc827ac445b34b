import type { DeliveryResult } from "../../results/delivery.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { StoreError } from "../../ports/object-store.ts";
import { clean, type Terminal } from "../frame/terminal.ts";
import { showComparison, showDelivery } from "./show.ts";
import { explainStoreError } from "../../wiring/explain-store.ts";
import { showFailure } from "../frame/failure.ts";
import { showBytes, showSeconds, showTime } from "../../words/numbers.ts";
import { createProgress } from "../frame/progress.ts";

function openPage(isLive = false): Terminal & { out: string[]; err: string[] } {
  const [out, err]: [string[], string[]] = [[], []];
  return {
    out,
    err,
    environment: {},
    folder: "/",
    canAsk: false,
    isLive,
    columns: 80,
    liveColumns: 80,
    redact: (text) => text,
    hide: () => undefined,
    lost: () => undefined,
    noteLost: () => undefined,
    command: () => undefined,
    print: (text) => out.push(text),
    say: (text) => err.push(text),
    styleSaid: (_, text) => text,
    style: (_, text) => text,
  };
}

const RESULT: DeliveryResult = {
  site: "Pelican Sound Ferries", destination: "production", release: 8, previous: 7, dryRun: false,
  counts: { new: 1, replaced: 1, relabelled: 0, moved: 1, unchanged: 55, stale: 2, drifted: 0, missing: 0, foreign: 1 },
  bytes: { sent: 62_110, copied: 4100, unchanged: 2_011_002 },
  changes: [
    { key: "assets/app-1f2e3d4c.js", change: "new", by: "sending", role: "fingerprinted", size: 3120, reason: "not there yet" },
    { key: "boat.png", change: "moved", by: "copying", role: "asset", size: 4100, reason: "the same bytes as ship.png" },
    { key: "index.html", change: "replaced", by: "sending", role: "entry", size: 58_990, reason: "content" },
  ],
  heldBack: [], pruned: ["news/old/index.html"], kept: [{ key: "assets/app-0a1b2c3d.js", lastIn: 7, until: { release: 12, at: "2026-03-18T14:20:00.000Z" } }],
  invalidation: { addresses: ["/", "/index.html"], patterns: ["/", "/index.html"], collateral: { addresses: 0, bytes: 0 }, everything: { addresses: 61, bytes: 2_011_002 }, confirmed: true, owed: [], hints: [], edges: [{ edge: "distribution", patterns: 2, collateral: { addresses: 0, bytes: 0 }, gap: 0, confirmed: true, addresses: 2, read: { addresses: 2, forms: 11 } }] },
  generated: { written: 2, unchanged: 0, removed: 0 }, requests: { list: 1, get: 2, head: 0, put: 4, copy: 3, delete: 1, multipart: 0, retried: 1 },
  phases: [{ name: "gather", seconds: 0.2 }, { name: "switch", seconds: 0.31 }], url: "https://www.pelicansound.example", warnings: ["not ours, left alone: theirs.txt"],
}; // prettier-ignore
const NOW = new Date("2026-03-04T14:20:00Z");

test("a delivery's summary, as a person reads it", () => {
  expect(showDelivery(RESULT, openPage(), NOW)).toMatchInlineSnapshot(`
   "Pelican Sound Ferries, production: release 8 after 7

     sent         2 files  62.1 kB  1 new, 1 replaced
     copied        1 file   4.1 kB  inside the store: 1 moved
     unchanged   55 files   2.0 MB
     removed       1 file           news/old/index.html
     kept          1 file           for open tabs: until release 12 at least, and 14 d more (until 2026-03-18 14:20 UTC)
     aliases    2 objects           made so that every promised form of a page's address answers
     foreign     1 object           not ours, left alone

     edge distribution was asked to forget 2 addresses by 2 patterns: confirmed, all read back in 11 forms
       /  /index.html
       no right copy is lost; by /* alone 61 (2.0 MB)

   note: not ours, left alone: theirs.txt

     0.51 s: gather 0.20, switch 0.31
     11 requests to the store: 1 list, 2 get, 4 put, 3 copy, 1 delete; 1 tried again

     https://www.pelicansound.example
   "
  `);
});

test("a comparison names the files, aligned, and cuts long lists with a count", () => {
  const many = Array.from({ length: 20 }, (_, i) => ({
    key: `p/${i}.html`,
    change: "new" as const,
    by: "sending" as const,
    role: "page" as const,
    size: 10,
    reason: "not there yet",
  }));
  const text = showComparison({ ...RESULT, dryRun: true, changes: [...many, ...RESULT.changes] }, openPage(), { all: false, now: NOW });
  expect(text).toContain("would become release 8");
  expect(text).toMatch(/ {4}boat\.png +4\.1 kB {2}asset, the same bytes as ship\.png\n/);
  // One column of sizes, whatever happens to the files.
  const sizes = text.split("\n").flatMap((line) => /^ {4}\S+ +[\d.]+ k?B(?= {2}[a-z])/.exec(line)?.[0].length ?? []);
  expect([sizes.length, new Set(sizes).size]).toEqual([14, 1]);
  expect(text).toContain("and 9 more: --all");
  expect(showComparison({ ...RESULT, dryRun: true, changes: many }, openPage(), { all: true, now: NOW })).not.toContain("more: --all");
}); // prettier-ignore

test("nothing to do is said in one line, what an edge owes is said plainly", () => {
  const idle = { ...RESULT, release: 7, changes: [], invalidation: { ...RESULT.invalidation, edges: [] } };
  expect(showDelivery(idle, openPage(), NOW)).toContain(
    "nothing to do: release 7 is this build, nothing was written",
  );
  expect(showDelivery({ ...RESULT, release: 7 }, openPage(), NOW)).toContain(
    "release 7 stays; what was left to do is done",
  );
  const owed = {
    ...RESULT.invalidation,
    owed: ["/"],
    edges: [{ ...RESULT.invalidation.edges[0], edge: "purge", confirmed: false }],
  } as DeliveryResult["invalidation"];
  expect(showDelivery({ ...RESULT, invalidation: owed }, openPage(), NOW)).toContain(
    "edge purge was asked to forget 2 addresses by 2 patterns: not confirmed, still owed",
  );
});

test("numbers have units and times are relative with the absolute one at hand", () => {
  expect([0, 999, 1000, 1_500_000, 99_960, 2e9].map(showBytes)).toEqual(["0 B", "999 B", "1.0 kB", "1.5 MB", "100 kB", "2.0 GB"]);
  expect([0.123, 12.3, 75].map(showSeconds)).toEqual(["0.12 s", "12 s", "1 min 15 s"]);
  expect(showTime("2026-03-04T12:20:00Z", NOW)).toBe("2 h ago (2026-03-04 12:20 UTC)");
  expect(showTime("2026-03-18T14:20:00Z", NOW)).toBe("14 d more (until 2026-03-18 14:20 UTC)");
}); // prettier-ignore

test("an error says what was being done, to what, what came back and what to do; details only when asked for", () => {
  const refused = new StoreError("denied", "Access Denied", { action: { do: "write", key: "index.html" }, status: 403, code: "AccessDenied", requestId: "r-1" });
  const explained = explainStoreError(refused, { endpoint: "http://store", bucket: "web" }, 12);
  const page = openPage();
  expect(showFailure(explained, {}, page)).toBe(7);
  expect(page.err.join("")).toBe(
    "failed: could not write index.html: not allowed\n  the delivering identity lacks the right s3:PutObject: rcourier policy prints all that it needs; 12 writes were made before, the same call goes on from there\n",
  );
  const verbose = openPage();
  showFailure(explained, { verbose: true }, verbose);
  expect(verbose.err.join("")).toContain("request id r-1");
  const json = openPage();
  expect(showFailure(new OperatorError("no-build", { folder: "dist" }), { format: "json" }, json)).toBe(3);
  expect(JSON.parse(json.out.join(""))).toMatchObject({ error: { code: "no-build", details: { folder: "dist" } } });
}); // prettier-ignore

test("a stack reaches a user only where the fault is ours", () => {
  const page = openPage();
  expect(showFailure(new TypeError("oops"), {}, page)).toBe(70);
  expect(page.err.join("")).toMatch(/a fault of ours: oops[\s\S]*please report it[\s\S]*show\.test\.ts/);
});

test("text from outside can't move the cursor, change colours or the reading direction", () => {
  expect(clean("a\u001b[31mred\u001b[0m!\u0007\u202eb\tc\rd\ne")).toBe("ared!\ufffd\ufffdb\ufffdc\\nd\\ne");
  expect(clean("café 指南 🛳️")).toBe("café 指南 🛳️");
});

test("progress: plain lines without control codes, a live line on a screen, nothing when quiet", () => {
  const run = (page: Terminal, options: { quiet: boolean; verbose: boolean }): void => {
    const report = createProgress(page, options);
    report({ event: "gathered", what: "build", files: 3, bytes: 4000, objects: 0 });
    report({ event: "phase", phase: "stock", state: "started", steps: 2, bytes: 3000 });
    report({ event: "step", phase: "stock", do: "send", key: "a.js", bytes: 1000 });
    report({ event: "retry", action: { do: "write", key: "b.js" }, attempt: 2, waitMs: 200, why: "SlowDown" });
    report({ event: "phase", phase: "stock", state: "ended", steps: 2, seconds: 0.5 });
    report.end();
  };
  const [plain, live, quiet] = [openPage(), openPage(true), openPage()];
  run(plain, { quiet: false, verbose: false });
  run(live, { quiet: false, verbose: true });
  run(quiet, { quiet: true, verbose: false });
  expect(plain.err.join("")).toBe("build: 3 files, 4.0 kB; destination: 0 objects\ntrying again in 0.20 s: write b.js (SlowDown)\nstock: 2 steps, 3.0 kB, 0.50 s\n");
  expect(live.err.join("")).toMatch(/stocking new assets: 0 of 2, 0 B of 3\.0 kB/);
  expect(live.err.join("")).toContain("  send a.js\n");
  expect(quiet.err).toEqual([]);
}); // prettier-ignore
