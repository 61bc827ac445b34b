import type { DeliveryResult } from "../../results/delivery.ts";
import { OperatorError } from "../../core/model/failure.ts";
import { StoreError } from "../../ports/object-store.ts";
import { clean } from "../frame/terminal.ts";
import { openPaper } from "../../../test/support/paper.ts";
import { showComparison } from "./show-comparison.ts";
import { showDelivery } from "./show.ts";
import { explainStoreError } from "../../wiring/explain-store.ts";
import { showFailure } from "../frame/failure.ts";
import { showBytes, showSeconds, showTime } from "../../words/numbers.ts";

const openPage = openPaper;

const show = (result: DeliveryResult, isVerbose = false): string =>
  showDelivery(result, openPage(), {
    now: NOW,
    verbose: isVerbose,
    callLike: (words) => `rcourier ${words}`,
  });

const RESULT: DeliveryResult = {
  site: "Pelican Sound Ferries", destination: "production", release: 8, previous: 7, dryRun: false,
  counts: { new: 1, replaced: 1, relabelled: 0, moved: 1, unchanged: 55, stale: 2, drifted: 0, missing: 0, foreign: 1 },
  bytes: { sent: 62_110, copied: 4100, unchanged: 2_011_002 },
  changes: [
    { key: "assets/app-1f2e3d4c.js", change: "new", by: "sending", role: "fingerprinted", size: 3120, reason: "not in the store yet" },
    { key: "boat.png", change: "moved", by: "copying", role: "asset", size: 4100, reason: "same bytes as ship.png" },
    { key: "index.html", change: "replaced", by: "sending", role: "entry", size: 58_990, reason: "other content" },
  ],
  heldBack: [], pruned: ["news/old/index.html"], kept: [{ key: "assets/app-0a1b2c3d.js", lastIn: 7, until: { release: 12, at: "2026-03-18T14:20:00.000Z" } }],
  invalidation: { addresses: ["/", "/index.html"], patterns: ["/", "/index.html"], collateral: { addresses: 0, bytes: 0 }, everything: { addresses: 61, bytes: 2_011_002 }, confirmed: true, owed: [], hints: [], edges: [{ edge: "distribution", patterns: 2, collateral: { addresses: 0, bytes: 0 }, gap: 0, confirmed: true, addresses: 2, read: { addresses: 2, forms: 11 } }] },
  generated: { written: 2, unchanged: 0, removed: 0 }, requests: { list: 1, get: 2, head: 0, put: 4, copy: 3, delete: 1, multipart: 0, retried: 1 },
  phases: [{ name: "gather", seconds: 0.2 }, { name: "switch", seconds: 0.31 }], url: "https://www.pelicansound.example", warnings: ["foreign, not delivered by this tool; left alone: theirs.txt"],
}; // prettier-ignore
const NOW = new Date("2026-03-04T14:20:00Z");

test("a delivery's summary, as a person reads it", () => {
  expect(show(RESULT)).toMatchInlineSnapshot(`
    "Pelican Sound Ferries → production
    release 8 is delivered; it replaces release 7. The edge has confirmed.

        2 files sent                     62.1 kB   1 new, 1 replaced
        1 file copied inside the store    4.1 kB   1 moved
       55 files unchanged                 2.0 MB
        1 file removed                             news/old/index.html
        1 file kept                                for open tabs: removed with
                                                   release 12, not before
                                                   2026-03-18 14:20 UTC
        2 extra copies                             so that /news/ answers as well as
                                                   /news/index.html

        2 addresses forgotten by the edge, with 2 patterns
          /  /index.html
          Read back since then: all of them, each in 11 forms (compressed and not).
          No copy that is still correct was dropped. /* alone would drop 61
          (2.0 MB).

     warning foreign, not delivered by this tool; left alone: theirs.txt

       took 0.51 s and 11 requests to the store, 1 of them tried again; --verbose
       lists both
       https://www.pelicansound.example

    next   rcourier verify
    "
  `);
  expect(show(RESULT, true)).toContain(
    "      gather 0.20 s, switch 0.31 s\n      1 list, 2 get, 4 put, 3 copy, 1 delete\n",
  );
});

test("a comparison names the files, aligned, and cuts long lists with a count", () => {
  const many = Array.from({ length: 20 }, (_, i) => ({
    key: `p/${i}.html`,
    change: "new" as const,
    by: "sending" as const,
    role: "page" as const,
    size: 10,
    reason: "not in the store yet",
  }));
  const compare = (changes: DeliveryResult["changes"], all: boolean): string =>
    showComparison({ ...RESULT, dryRun: true, changes }, openPage(), { all, now: NOW, next: "rcourier deliver" });
  const text = compare([...many, ...RESULT.changes], false);
  expect(text).toContain("this build would become release 8 and replace release 7. Nothing was written.");
  expect(text).toMatch(/ {6}boat\.png +4\.1 kB {3}asset, same bytes as ship\.png\n/);
  // One column of sizes in each block.
  const sizes = text.split("\n").flatMap((line) => /^ {6}p\/\d+\.html +10 B(?= {3}page)/.exec(line)?.[0].length ?? []);
  expect([sizes.length, new Set(sizes).size]).toEqual([8, 1]);
  expect(text).toContain("and 13 more; --all lists them");
  expect(text).toMatch(/\nnext {3}rcourier deliver\n$/);
  expect(compare(many, true)).not.toContain("more; --all");
}); // prettier-ignore

test("nothing to do is said in one line, and what an edge has not confirmed ends with the call that asks again", () => {
  const idle = { ...RESULT, release: 7, changes: [], pruned: [], invalidation: { ...RESULT.invalidation, edges: [] } };
  expect(show(idle)).toContain("nothing was written: this build is already delivered, as release 7.");
  expect(show(idle)).not.toContain("next");
  expect(show({ ...RESULT, release: 7 })).toContain("release 7 stays; this run went on with what an earlier one had left. The edge\nhas confirmed.");
  const drifted = { ...RESULT, release: 7, changes: [{ ...RESULT.changes[2], change: "drifted" }] } as DeliveryResult;
  expect(show(drifted)).toContain("release 7 stays; what was changed or removed outside this tool is put back.");
  const [first] = RESULT.invalidation.edges;
  const owed = { ...RESULT.invalidation, owed: ["/"], confirmed: false, edges: [{ ...first, edge: "purge", confirmed: false }] } as DeliveryResult["invalidation"];
  const text = show({ ...RESULT, invalidation: owed });
  expect(text).toContain("release 8 is delivered; it replaces release 7. The edge has NOT confirmed yet:\nvisitors may");
  expect(text).toContain("    2 addresses that the edge has not confirmed yet; it was asked with 2 patterns");
  expect(text).toMatch(/\nnext {3}rcourier deliver {3}asks the edge again\n$/);
}); // prettier-ignore

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
    "failed: could not write index.html: these credentials do not have the right s3:PutObject\n  give them the rights that rcourier policy prints. 12 objects were written; the same call goes on from there\n",
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
  expect(page.err.join("")).toMatch(
    /this is a bug in Restless Courier: oops[\s\S]*please report it[\s\S]*show\.test\.ts/,
  );
});

test("text from outside can't move the cursor, change colours or the reading direction", () => {
  expect(clean("a\u001b[31mred\u001b[0m!\u0007\u202eb\tc\rd\ne")).toBe("ared!\ufffd\ufffdb\ufffdc\\nd\\ne");
  expect(clean("café 指南 🛳️")).toBe("café 指南 🛳️");
});
