import { around } from "../../test/support/around.ts";
import { DAY, OPTIONS, PRUNE, site, Stage } from "../../test/support/stage.ts";
import { StoreError, type ObjectStore } from "../ports/object-store.ts";
import type { ObjectKey } from "../core/model/names.ts";
import { deliver } from "./deliver.ts";
import { prune } from "./prune.ts";
import { repairReleases } from "./releases.ts";

/** Orders of events in which a promise was seen to break: each is told as it was met, and stays told. */

const SECRET = { "index.html": "i", "crew.csv": "names of the crew" };

test("a prune right after the first delivery leaves what others had put there: release 0 comes back", async () => {
  const stage = new Stage();
  stage.store.tamper("index.html", "theirs");
  await stage.deliver({ "index.html": "ours" });
  await prune(stage.delivery(), PRUNE);
  await stage.redeliver("0");
  expect(await stage.text("index.html")).toBe("theirs");
});

test("what was forgotten stays forgotten when the pointer is lost and made anew", async () => {
  const stage = new Stage();
  await stage.deliver(SECRET);
  await stage.deliver({ "index.html": "i2" });
  await prune(stage.delivery(), { ...PRUNE, forget: ["crew.csv"] });
  stage.store.tamper(".courier/current.json", undefined);
  await repairReleases(stage.delivery());
  await expect(stage.deliver(SECRET)).rejects.toMatchObject({ code: "refused" });
  const back = await stage.redeliver("1");
  expect(back.warnings).toEqual([expect.stringContaining("removed for good: crew.csv")]);
  expect([await stage.text("index.html"), await stage.text("crew.csv")]).toEqual(["i", undefined]);
});

describe("a content that is forgotten in a bucket that keeps versions", () => {
  const versionsOf = async (stage: Stage, text: string): Promise<string[]> => {
    const found: string[] = [];
    for await (const page of stage.store.versions.list())
      for (const version of page) {
        const read = await stage.store.versions.read(version);
        const chunks: Uint8Array[] = [];
        for await (const chunk of read?.body ?? []) chunks.push(chunk);
        if (Buffer.concat(chunks).toString() === text) found.push(version.key);
      }
    return found;
  };

  test.each([{ keepsVersions: true }, { keepsVersions: true, opaqueEtags: true }])(
    "goes from the versions as well, and nothing else does: %j",
    async (traits) => {
      const stage = new Stage(traits);
      await stage.deliver({ ...SECRET, "copy.csv": SECRET["crew.csv"], "other.csv": "names of the ship" });
      await stage.deliver({ "index.html": "i2", "crew.csv": "nobody", "other.csv": "another thing here" });
      await stage.deliver({ "index.html": "i3", "crew.csv": SECRET["crew.csv"] });
      const { versions } = await prune(stage.delivery(), { ...PRUNE, forget: ["crew.csv"] });
      expect(versions).toBeGreaterThanOrEqual(3);
      expect(await versionsOf(stage, SECRET["crew.csv"])).toEqual([]);
      // Of the same size and another content: that is somebody's way back.
      expect(await versionsOf(stage, "names of the ship")).toContain("other.csv");
    },
  );

  test("goes from store and edges all the same where this identity may not remove versions, and the run says so", async () => {
    const stage = new Stage({ keepsVersions: true });
    stage.edgeConfirms = true;
    await stage.deliver(SECRET);
    stage.asked.length = 0;
    const refuse = () =>
      Promise.reject(new StoreError("denied", "403", { action: { do: "delete-versions" } }));
    stage.between = (store) => around(store, { versions: { ...stage.store.versions, remove: refuse } });
    await expect(prune(stage.delivery(), { ...PRUNE, forget: ["crew.csv"] })).rejects.toMatchObject({ code: "versions-denied" }); // prettier-ignore
    expect([await stage.text("crew.csv"), [...new Set(stage.asked)]]).toEqual([undefined, ["/crew.csv"]]);
    // The same call with an identity that may do more goes on from there.
    stage.between = undefined;
    const { versions, owed } = await prune(stage.delivery(), { ...PRUNE, forget: ["crew.csv"] });
    expect([versions, owed, await versionsOf(stage, SECRET["crew.csv"])]).toEqual([1, [], []]);
  });

  test("is refused where objects are locked, before anything goes", async () => {
    const stage = new Stage({ keepsVersions: true, locksVersions: true });
    await stage.deliver(SECRET);
    const before = await stage.keys("");
    await expect(prune(stage.delivery(), { ...PRUNE, forget: ["crew.csv"] })).rejects.toMatchObject({ code: "versions-locked" }); // prettier-ignore
    expect(await stage.keys("")).toEqual(before);
  });
});

test.each([
  ["a rule for browsers", { freshness: [{ files: "*.html", browser: 604_800 }] }],
  ["a header by hand", { headers: [{ files: "*.html", set: { "Cache-Control": "max-age=604800, s-maxage=5" } }] }], // prettier-ignore
  ["what may be shown stale", { headers: [{ files: "*.html", set: { "Cache-Control": "max-age=60, stale-while-revalidate=604740" } }] }], // prettier-ignore
])("what a browser may show for a week keeps its chunks for a week: %s", async (_, rules) => {
  const stage = new Stage();
  stage.rules = { headers: { edgeCanForget: true, ...rules } };
  stage.retention = { releases: 1, forSeconds: 86_400 };
  await expect(stage.deliver(site("one"))).rejects.toMatchObject({ code: "settings-invalid" });
  stage.retention = { releases: 1, forSeconds: 604_800 };
  await stage.deliver(site("one"));
  // Shortened later, for pages that are shown for a moment only: what was delivered before is still shown for a week.
  stage.rules = {};
  stage.retention = { releases: 1, forSeconds: 0 };
  await stage.deliver(site("two"));
  stage.nowMs += 6 * DAY;
  await stage.deliver(site("three"));
  expect(await stage.text("assets/one-1f2e3d4c.js")).toBe("one");
  stage.nowMs += 2 * DAY;
  await stage.deliver(site("four"));
  expect(await stage.text("assets/one-1f2e3d4c.js")).toBeUndefined();
});

describe("a store that refuses the ETag of what was sent in parts as the condition of a copy", () => {
  const big = (letter: string): string => letter.repeat(2000);

  test.each<[string, Record<string, string>]>([
    ["changed", { "index.html": "i", "film.mp4": big("b") }],
    ["moved", { "index.html": "i", "tour.mp4": big("a") }],
    ["removed", { "index.html": "i" }],
  ])("keeps a large file that is %s, and brings it back", async (_, next) => {
    const stage = new Stage({ partsFrom: 1000 });
    const first = { "index.html": "i", "film.mp4": big("a"), "data.zip": big("z") };
    await stage.deliver(first);
    expect((await stage.deliver(next)).release).toBe(2);
    expect((await stage.redeliver("1")).bytes.sent).toBe(0);
    for (const [key, text] of Object.entries(first))
      expect([key, await stage.text(key)]).toEqual([key, text]);
  });

  test("relabels one as well; and what somebody else has written over just then is told of, and left", async () => {
    const stage = new Stage({ partsFrom: 1000 });
    const files = { "index.html": "i", "film.mp4": big("a") };
    await stage.deliver(files);
    const relabelled = { headers: [{ files: "*.mp4", set: { "Content-Language": "en" } }] };
    stage.rules = { headers: relabelled };
    expect((await stage.deliver(files)).counts.relabelled).toBe(1);
    expect((await stage.store.head("film.mp4"))?.headers["content-language"]).toBe("en");
    stage.between = beforeCopy("film.mp4", () => {
      stage.store.tamper("film.mp4", big("x"));
    });
    await expect(stage.deliver({ "index.html": "i", "film.mp4": big("c") })).rejects.toMatchObject({ code: "changed-meanwhile", data: { key: "film.mp4" } }); // prettier-ignore
    expect(await stage.text("film.mp4")).toBe(big("x"));
  });
});

/** The same store, in which something happens right before an object is copied. */
const beforeCopy =
  (key: ObjectKey, happen: () => void) =>
  (store: ObjectStore): ObjectStore =>
    around(store, { copy: (from, ...rest) => (from.key === key && happen(), store.copy(from, ...rest)) });

test("runs that fail again and again leave one record, and the last makes everything good", async () => {
  const stage = new Stage();
  await stage.deliver(site("one"));
  stage.store.tamper("theirs.html", "theirs");
  let fails = true;
  stage.between = (store) =>
    around(store, {
      put: (key, ...rest) =>
        fails && key === "index.html"
          ? Promise.reject(new StoreError("server", "500", { action: { do: "write", key } }))
          : store.put(key, ...rest),
    });
  for (const name of ["two", "three", "two", "three", "four"])
    await expect(stage.deliver({ ...site(name), "theirs.html": name })).rejects.toMatchObject({
      kind: "server",
    });
  expect(await stage.keys(".courier/open/")).toHaveLength(1);
  fails = false;
  const last = await stage.deliver(site("four"));
  expect(last.counts.foreign).toBe(0);
  expect(await stage.keys(".courier/open/")).toEqual([]);
  await stage.redeliver("0");
  expect(await stage.text("theirs.html")).toBe("theirs");
  // All that the others had stocked is known as theirs, and goes when its time has come.
  stage.nowMs += 2 * DAY;
  await stage.deliver(site("five"));
  stage.nowMs += 2 * DAY;
  await stage.deliver(site("six"));
  expect(await stage.keys("assets/")).toEqual(["assets/five-1f2e3d4c.js", "assets/six-1f2e3d4c.js"]);
});

describe("the website's routing rules", () => {
  const redirects = [
    { address: "/routes/*", leadsTo: "/crossings/*", kind: "temporary" as const, keepMethod: false },
  ];
  const THEIRS = { index: "index.html", error: "oops.html", rules: [{ prefix: "old/", replacePrefix: "new/", status: 302 }] }; // prettier-ignore
  const open = (): Stage => {
    const stage = new Stage();
    stage.rules = { endpoint: { ownsWebsite: true }, redirects };
    return stage;
  };
  const keptRules = async (stage: Stage): Promise<string[]> =>
    Promise.all((await stage.keys(".courier/vault/")).map(async (key) => (await stage.text(key)) ?? ""));

  test("of a run that was killed after it had switched them are gone with the next delivery that has none", async () => {
    const stage = open();
    await stage.store.writeWebsite(THEIRS);
    stage.rules = { endpoint: { ownsWebsite: true } };
    await stage.deliver({ "index.html": "one" });
    stage.rules = { endpoint: { ownsWebsite: true }, redirects };
    stage.between = (store) =>
      around(store, {
        writeWebsite: async (settings) => {
          await store.writeWebsite(settings);
          stage.between = dead;
          throw new StoreError("unreachable", "dead", { action: { do: "write", key: "" } });
        },
      });
    await expect(stage.deliver({ "index.html": "two" })).rejects.toThrow();
    expect((await stage.store.readWebsite())?.rules).toHaveLength(1);
    stage.between = undefined;
    stage.rules = { endpoint: { ownsWebsite: true } };
    await stage.deliver({ "index.html": "one" });
    expect(await stage.store.readWebsite()).toMatchObject({
      index: "index.html",
      error: "oops.html",
      rules: [],
    });
    // What stood before that run is not lost with it.
    expect(await keptRules(stage)).toContain(JSON.stringify(THEIRS));
  });

  test("that stood before are kept for as long as the retention says, and no longer", async () => {
    const stage = open();
    await stage.store.writeWebsite(THEIRS);
    await stage.deliver({ "index.html": "one" });
    for (const name of ["two", "three", "four"]) {
      await stage.deliver({ "index.html": name });
      expect([name, await keptRules(stage)]).toEqual([
        name,
        expect.arrayContaining([JSON.stringify(THEIRS)]),
      ]);
    }
    await prune(stage.delivery(), PRUNE);
    expect(await keptRules(stage)).toContain(JSON.stringify(THEIRS));
    stage.nowMs += 2 * DAY;
    await stage.deliver({ "index.html": "five" });
    stage.nowMs += 2 * DAY;
    await stage.deliver({ "index.html": "six" });
    expect(await keptRules(stage)).not.toContain(JSON.stringify(THEIRS));
  });
});

const dead = (store: ObjectStore): ObjectStore =>
  around(store, {
    put: () => Promise.reject(new StoreError("unreachable", "dead", { action: { do: "write", key: "" } })),
  });

describe("headers that somebody changed", () => {
  test.each<[string, (stage: Stage) => Promise<unknown>]>([
    ["a prune", (stage) => prune(stage.delivery(), { ...PRUNE, foreign: true })],
    ["a lost pointer that was made anew", async (stage) => {
      stage.store.tamper(".courier/current.json", undefined);
      await repairReleases(stage.delivery());
    }], // prettier-ignore
  ])("are found though %s has written the pointer since", async (_, happens) => {
    const stage = new Stage();
    stage.retention = { releases: 1, forSeconds: 0 };
    const files = { "index.html": "i", "logo.svg": "<svg/>", "sw.js": "worker" };
    await stage.deliver({ ...files, "old.html": "o" });
    await stage.deliver(files);
    stage.nowMs += 5000;
    stage.store.tamper("logo.svg", "<svg/>", { "content-type": "text/plain" });
    stage.store.tamper("sw.js", "worker", { "content-type": "text/plain" });
    stage.store.tamper("theirs.txt", "x");
    await happens(stage);
    const next = await stage.deliver(files);
    expect(next.changes.map(({ key, change }) => [key, change])).toEqual([["logo.svg", "drifted"], ["sw.js", "drifted"]]); // prettier-ignore
    expect((await stage.store.head("logo.svg"))?.headers["content-type"]).toBe("image/svg+xml");
  });
});

describe("what a page loads is there before the page, whatever it is besides", () => {
  const page = (name: string): string =>
    `<title>${name}</title><link rel="manifest" href="/site.webmanifest"><script src="/register-sw.js"></script><script type="module" src="/app.js"></script>`;
  const files = (name: string): Record<string, string> => ({
    "index.html": page(name),
    "register-sw.js": `navigator.serviceWorker.register("/sw.js") // ${name}`,
    "app.js": `import "./shared.js"; navigator.serviceWorker.register(new URL("./sw.js", import.meta.url)) // ${name}`,
    "shared.js": `// ${name}`,
    "sw.js": `importScripts("/shared.js", "/register-sw.js"); importScripts("/only-worker.js") // ${name}`,
    "only-worker.js": `// ${name}`,
    "site.webmanifest": JSON.stringify({ name }),
    "version.json": JSON.stringify(name),
  });

  test("a new one and a changed one, also where an edge refuses for hours, and on the way back", async () => {
    const stage = new Stage();
    stage.edgeConfirms = false;
    await stage.deliver(files("one"));
    const absent = async (): Promise<string[]> => {
      const found: string[] = [];
      for (const key of Object.keys(files("one"))) if ((await stage.text(key)) === undefined) found.push(key);
      return found;
    };
    // These are announced when every edge has confirmed.
    expect(await absent()).toEqual(["sw.js", "only-worker.js", "version.json"]);
    stage.edgeConfirms = true;
    await stage.deliver(files("one"));
    expect(await absent()).toEqual([]);
    stage.edgeConfirms = false;
    await stage.deliver(files("two"));
    for (const key of ["register-sw.js", "shared.js", "app.js", "site.webmanifest", "index.html"])
      expect([key, await stage.text(key)]).toEqual([key, files("two")[key]]);
    expect([await stage.text("sw.js"), await stage.text("version.json")]).toEqual([
      files("one")["sw.js"],
      '"one"',
    ]);
    const writes = stage.store.trace.map((entry) => entry.replace(/^\w+ /, ""));
    expect(writes.lastIndexOf("register-sw.js")).toBeLessThan(writes.lastIndexOf("index.html"));
    expect(writes.lastIndexOf("site.webmanifest")).toBeLessThan(writes.lastIndexOf("index.html"));
    await stage.redeliver("1");
    expect(await stage.text("register-sw.js")).toBe(files("one")["register-sw.js"]);
    const back = stage.store.trace.map((entry) => entry.replace(/^\w+ /, ""));
    expect(back.lastIndexOf("register-sw.js")).toBeLessThan(back.lastIndexOf("index.html"));
  });
});

describe("a bucket whose ETags are no MD5", () => {
  test("after a run that died, what it had written is known by the store's own sums and not read", async () => {
    const stage = new Stage({ opaqueEtags: true, keepsHashes: true });
    const files = Object.fromEntries(Array.from({ length: 40 }, (_, n) => [`page-${n}.html`, `page ${n}`]));
    let puts = 0;
    stage.between = (store) =>
      around(store, {
        put: (key, ...rest) => {
          puts += Number(key.startsWith("page-"));
          return puts > 30
            ? Promise.reject(new StoreError("unreachable", "dead", { action: { do: "write", key: "" } }))
            : store.put(key, ...rest);
        },
      });
    await expect(stage.deliver({ "index.html": "i", ...files })).rejects.toThrow();
    stage.nowMs += 60_000;
    let reads = 0;
    stage.between = (store) =>
      around(store, { get: (key) => ((reads += Number(key.startsWith("page-"))), store.get(key)) });
    const second = await stage.deliver({ "index.html": "i", ...files });
    expect([reads, second.counts.replaced]).toEqual([0, 0]);
    expect(second.counts.unchanged).toBeGreaterThan(20);
  });

  test("a delivery goes through all its kinds of writes, and back", async () => {
    const stage = new Stage({ opaqueEtags: true });
    await stage.deliver({ ...site("one"), "a.txt": "moves" });
    await stage.deliver({ ...site("two"), "b.txt": "moves" });
    expect((await stage.redeliver("1")).bytes.sent).toBe(0);
    expect(await stage.text("a.txt")).toBe("moves");
  });
});

test("metadata that stores refuse is refused before anything is written, with every file that has it", async () => {
  const stage = new Stage();
  const set = { "x-amz-meta-route": "n".repeat(1500), "x-amz-meta-way": "é".repeat(300) };
  stage.rules = { headers: { headers: [{ files: "*.html", set }] } };
  const refused = await stage
    .deliver({ "index.html": "i", "logo.svg": "<svg/>" })
    .catch((error: unknown) => error);
  expect(refused).toMatchObject({ code: "refused", data: { problems: expect.arrayContaining([expect.objectContaining({ path: "index.html", facts: expect.objectContaining({ most: 2048 }) })]) } }); // prettier-ignore
  expect(await stage.keys("")).toEqual([]);
  await deliver(stage.delivery({ "index.html": "i" }, ["too-much-metadata"]), OPTIONS);
});
