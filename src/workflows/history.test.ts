import { buffer } from "node:stream/consumers";
import { around } from "../../test/support/around.ts";
import { listAll } from "../gather/list-objects.ts";
import { readOpen } from "../gather/read-destination.ts";
import { DAY, OPTIONS, PRUNE, site, Stage } from "../../test/support/stage.ts";
import type { ReadObject } from "../ports/object-store.ts";
import { deliver } from "./deliver.ts";
import { prune } from "./prune.ts";
import { compareReleases, listReleases, repairReleases } from "./releases.ts";

test("any retained release comes back, by copies only, with its removed pages and headers, under a number of its own", async () => {
  const stage = new Stage();
  await stage.deliver(site("one"));
  await stage.deliver({ "index.html": "two" });
  expect(await stage.text("old.html")).toBeUndefined();
  const back = await stage.redeliver("previous");
  expect([back.release, back.bytes.sent]).toEqual([3, 0]);
  expect([await stage.text("index.html"), await stage.text("old.html")]).toEqual(["one index", "one old"]);
  // The same again is nothing to do; and forward again works as well.
  expect((await stage.redeliver("1")).release).toBe(3);
  await stage.redeliver("2");
  expect([await stage.text("index.html"), await stage.text("old.html")]).toEqual(["two", undefined]);
  const { waybills } = await listReleases(stage.delivery().place);
  expect(waybills.map(({ waybill }) => [waybill?.release, waybill?.redelivers])).toEqual([[4, 2], [3, 1], [2, undefined], [1, undefined]]); // prettier-ignore
  await expect(stage.redeliver("9")).rejects.toMatchObject({ code: "no-such-release" });
});

test("two files that change places are copied by way of the vault", async () => {
  const stage = new Stage();
  await stage.deliver({ "index.html": "i", "a.txt": "first", "b.txt": "second" });
  const swapped = await stage.deliver({ "index.html": "i", "a.txt": "second", "b.txt": "first" });
  expect(swapped.bytes).toMatchObject({ sent: 0, copied: 11 });
  expect([await stage.text("a.txt"), await stage.text("b.txt")]).toEqual(["second", "first"]);
});

test("a bucket that others filled: equal objects are adopted unsent, others asked about, kept as release 0, put back on demand", async () => {
  const stage = new Stage();
  stage.store.tamper("index.html", "theirs", { "content-type": "text/html" });
  stage.store.tamper("logo.svg", "<svg/>", { "content-type": "image/svg+xml" });
  stage.store.tamper("only-theirs.txt", "stays");
  const asked: string[][] = [];
  const files = { "index.html": "ours", "logo.svg": "<svg/>", "new.html": "n" };
  const options = { ...OPTIONS, confirm: (_: unknown, { takesOver }: { takesOver: readonly string[] }) => Promise.resolve(void asked.push([...takesOver])) }; // prettier-ignore
  const delivery = stage.delivery(files);
  const first = await deliver(delivery, options);
  expect(asked).toEqual([["index.html", "logo.svg"]]);
  // The logo's bytes were right: only its headers are written.
  expect([first.bytes.sent, first.counts.relabelled]).toEqual([5, 1]);
  expect((await listReleases(stage.delivery().place)).waybills.map(({ release }) => release)).toEqual([1, 0]);
  const back = await stage.redeliver("0");
  expect(back.bytes.sent).toBe(0);
  expect([await stage.text("index.html"), await stage.text("new.html")]).toEqual(["theirs", "n"]);
  expect((await stage.store.head("logo.svg"))?.headers).toEqual({ "content-type": "image/svg+xml" });
  expect(await stage.text("only-theirs.txt")).toBe("stays");
});

test("what others changed since is found by its bytes and by its headers, mended, and can be brought back", async () => {
  const stage = new Stage();
  const files = { "index.html": "ours", "logo.svg": "<svg/>" };
  await stage.deliver(files);
  stage.nowMs += 5000;
  stage.store.tamper("index.html", "a hotfix by hand");
  stage.store.tamper("logo.svg", "<svg/>", { "content-type": "text/plain" });
  const mended = await stage.deliver(files);
  expect(mended.changes.map(({ key, change, reason }) => [key, change, reason])).toEqual([
    ["index.html", "drifted", "somebody changed it outside this tool"],
    [
      "logo.svg",
      "drifted",
      "other headers: cache-control, content-type; somebody changed it outside this tool",
    ],
  ]);
  expect([mended.bytes.sent, await stage.text("index.html")]).toEqual([4, "ours"]);
  await stage.redeliver("0");
  expect(await stage.text("index.html")).toBe("a hotfix by hand");
});

test("prune removes what no retained release needs, and nothing else; foreign objects only by name", async () => {
  const stage = new Stage();
  for (const name of ["one", "two", "three"]) await stage.deliver(site(name));
  stage.store.tamper("theirs.txt", "x");
  expect((await prune(stage.delivery(), PRUNE)).decision.removals).toEqual([]);
  stage.nowMs += 2 * DAY;
  const looked = await prune(stage.delivery(), { ...PRUNE, dryRun: true });
  expect(looked.decision.removals.map(({ why }) => why).sort()).toEqual([
    "content",
    "content",
    "record",
    "stale",
  ]);
  expect(await stage.keys(".courier/releases/")).toHaveLength(3);
  await prune(stage.delivery(), PRUNE);
  expect(await stage.keys("assets/")).toEqual(["assets/three-1f2e3d4c.js", "assets/two-1f2e3d4c.js"]);
  expect((await listReleases(stage.delivery().place)).waybills.map(({ release }) => release)).toEqual([3, 2]);
  expect((await stage.redeliver("2")).bytes.sent).toBe(0);
  expect(await stage.text("theirs.txt")).toBe("x");
  const { decision } = await prune(stage.delivery(), { ...PRUNE, foreign: true });
  expect(decision.removals.map(({ key, why }) => [key, why])).toContainEqual(["theirs.txt", "foreign"]);
  expect(await stage.text("theirs.txt")).toBeUndefined();
});

test("what a prune removes of the site stands in a record of its own before it goes, and the record goes at its end", async () => {
  const stage = new Stage();
  for (const name of ["one", "two", "three"]) await stage.deliver(site(name));
  stage.nowMs += 2 * DAY;
  const recorded: (readonly string[])[] = [];
  stage.between = (store) =>
    around(store, {
      remove: async (keys, ...rest) => {
        const { open } = await readOpen(stage.store, (await listAll(stage.store)).listing);
        // Whoever takes over has to know that such a removal may still come.
        if (keys.includes("assets/one-1f2e3d4c.js")) recorded.push(open.flatMap(({ removes }) => removes));
        return store.remove(keys, ...rest);
      },
    });
  await prune(stage.delivery(), PRUNE);
  expect(recorded).toEqual([["assets/one-1f2e3d4c.js"]]);
  expect(await stage.keys(".courier/open/")).toEqual([]);
});

test("stale assets stay while an edge may hold pages that name them, and prune pays what is owed first", async () => {
  const stage = new Stage();
  stage.retention = { releases: 1, forSeconds: 86_400 };
  stage.edgeConfirms = true;
  await stage.deliver(site("one"));
  stage.edgeConfirms = false;
  expect((await stage.deliver(site("two"))).invalidation.owed).not.toEqual([]);
  stage.nowMs += 2 * DAY;
  // A delivery says what it removed, and not what it would have.
  const three = await stage.deliver(site("three"));
  expect([three.pruned, three.kept.map(({ key }) => key)]).toEqual([[], ["assets/one-1f2e3d4c.js", "assets/two-1f2e3d4c.js"]]); // prettier-ignore
  const refused = await prune(stage.delivery(), PRUNE);
  expect(refused.decision.waiting).toEqual(["assets/one-1f2e3d4c.js"]);
  expect(refused.owed).toContain("/index.html");
  expect(await stage.text("assets/one-1f2e3d4c.js")).toBe("one");
  expect((await prune(stage.delivery(), { ...PRUNE, dryRun: true })).owed).toEqual(refused.owed);
  stage.edgeConfirms = true;
  stage.asked.length = 0;
  const paid = await prune(stage.delivery(), PRUNE);
  expect([paid.owed, paid.decision.waiting]).toEqual([[], []]);
  expect(stage.asked).toEqual(expect.arrayContaining(["/index.html", "/old.html"]));
  expect(await stage.text("assets/one-1f2e3d4c.js")).toBeUndefined();
  expect((await listReleases(stage.delivery().place)).pointer.owed).toEqual([]);
});

test("a release whose worker was never announced comes back whole", async () => {
  const stage = new Stage();
  stage.edgeConfirms = true;
  await stage.deliver({ "index.html": "one", "sw.js": "worker one" });
  stage.edgeConfirms = false;
  await stage.deliver({ "index.html": "two", "sw.js": "worker two" });
  expect(await stage.text("sw.js")).toBe("worker one");
  stage.edgeConfirms = true;
  await stage.deliver({ "index.html": "three", "sw.js": "worker three" });
  const back = await stage.redeliver("2");
  expect([back.bytes.sent, await stage.text("index.html"), await stage.text("sw.js")]).toEqual([0, "two", "worker two"]); // prettier-ignore
});

test("a content that is forgotten is gone from live, vault and every way back, and is not delivered again unnoticed", async () => {
  const stage = new Stage();
  const secret = { "index.html": "i", "crew.csv": "names", "copy.csv": "names" };
  await stage.deliver(secret);
  await stage.deliver({ "index.html": "i2" });
  await stage.deliver({ "index.html": "i3", "again.csv": "names" });
  await prune(stage.delivery(), { ...PRUNE, forget: ["/crew.csv"] });
  for await (const { objects } of stage.store.list())
    for (const { key } of objects) expect([key, await stage.text(key)]).not.toEqual([key, "names"]);
  const back = await stage.redeliver("1");
  expect(back.warnings).toEqual([
    expect.stringMatching(/left out, since it was removed for good: copy.csv, crew.csv/),
  ]);
  expect([await stage.text("index.html"), await stage.text("crew.csv")]).toEqual(["i", undefined]);
  expect((await stage.redeliver("3")).warnings).toEqual([expect.stringMatching(/: again.csv$/)]);
  expect(await Promise.all((await stage.keys(".courier/forgotten/")).map(stage.text))).toEqual([""]);
  await expect(stage.deliver(secret)).rejects.toMatchObject({ code: "refused" });
  await deliver(stage.delivery(secret, ["forgotten"]), OPTIONS);
  expect(await stage.text("crew.csv")).toBe("names");
  await expect(prune(stage.delivery(), { ...PRUNE, forget: ["never.txt"] })).rejects.toMatchObject({ code: "no-such-content" }); // prettier-ignore
});

test("a lost or damaged pointer is no first delivery; it is made anew out of the records", async () => {
  for (const damage of [undefined, '{"format":"restless-courier/pointer/1"}']) {
    const stage = new Stage();
    await stage.deliver(site("one"));
    await stage.deliver(site("two"));
    await expect(repairReleases(stage.delivery())).rejects.toMatchObject({ code: "nothing-to-repair" });
    stage.store.tamper(".courier/current.json", damage);
    await expect(stage.deliver(site("three"))).rejects.toMatchObject({
      code: expect.stringMatching(/^record-(lost|unreadable)$/),
    });
    expect((await repairReleases(stage.delivery())).retained.map(({ release }) => release)).toEqual([2, 1]);
    expect(await stage.deliver(site("two"))).toMatchObject({ release: 2, changes: [] });
    expect((await stage.redeliver("1")).bytes.sent).toBe(0);
  }
});

test("the record of a run that has not ended stops every prune where it can't be read", async () => {
  const stage = new Stage();
  await stage.deliver(site("one"));
  const key = ".courier/open/20260101T000000Z-1a2b3c4d.ndjson.gz";
  stage.store.tamper(key, "rubbish");
  await expect(prune(stage.delivery(), PRUNE)).rejects.toMatchObject({ code: "record-unreadable", data: { key, cause: { code: "left-so" } } }); // prettier-ignore
});

test("an unreadable record stops every prune; a delivery takes nothing that it needs, for the newest record tells", async () => {
  const stage = new Stage();
  stage.retention = { releases: 3, forSeconds: 86_400 };
  for (const name of ["one", "two", "three"]) await stage.deliver(site(name));
  const [, second = ""] = await stage.keys(".courier/releases/");
  const whole = await buffer(((await stage.store.get(second)) as ReadObject).body);
  stage.store.tamper(second, "rubbish");
  stage.nowMs += 2 * DAY;
  await expect(prune(stage.delivery(), PRUNE)).rejects.toMatchObject({ code: "record-unreadable" });
  const next = await stage.deliver(site("four"));
  expect(next.pruned).toContain("assets/one-1f2e3d4c.js");
  expect(await stage.keys("assets/")).toHaveLength(3);
  stage.store.tamper(second, whole);
  await stage.redeliver("2");
  expect(await stage.text("index.html")).toBe("two index");
});

test("a delivery reads the newest record alone, however many releases are retained, and release 0 where there is one", async () => {
  const stage = new Stage();
  stage.retention = { releases: 6, forSeconds: 3600 };
  const deliverReading = async (name: string): Promise<string[]> => {
    const read = new Set<string>();
    const get = (key: string) => (read.add(key.replace(/-.*/, "")), stage.store.get(key));
    const delivery = stage.delivery(site(name));
    await deliver(
      { ...delivery, place: { ...delivery.place, store: around(stage.store, { get }) } },
      OPTIONS,
    );
    return [...read].filter((key) => key.startsWith(".courier/releases/")).sort();
  };
  for (let turn = 1; turn <= 8; turn += 1) {
    await stage.deliver(site(`turn ${turn}`));
    stage.nowMs += DAY;
  }
  expect(await deliverReading("turn 9")).toEqual([".courier/releases/8"]);
  stage.nowMs += DAY;
  stage.store.tamper("index.html", "a hotfix by hand");
  await stage.deliver(site("turn 10"));
  expect(await deliverReading("turn 11")).toEqual([".courier/releases/0", ".courier/releases/10"]);
  expect((await stage.redeliver("0")).bytes.sent).toBe(0);
  expect(await stage.text("index.html")).toBe("a hotfix by hand");
});

test("two releases are compared without a build", async () => {
  const stage = new Stage();
  await stage.deliver({ "index.html": "1", "gone.html": "g", "same.txt": "s", "a.txt": "moves" });
  await stage.deliver({ "index.html": "2", "new.html": "n", "same.txt": "s", "b.txt": "moves" });
  const { differences } = await compareReleases(stage.delivery().place, ["1", "current"]);
  expect(differences.map(({ key, change }) => `${change} ${key}`)).toEqual([
    "removed a.txt",
    "moved b.txt",
    "removed gone.html",
    "replaced index.html",
    "new new.html",
  ]);
});
