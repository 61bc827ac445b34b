import fc from "fast-check";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { StoreError, type ObjectStore } from "../ports/object-store.ts";
import { memoryDelivery } from "../../test/support/memory-build.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { deliver } from "./deliver.ts";
import { holds } from "../../test/support/seeds.ts";

const NAMES = ["index.html", "404.html", "news/index.html", "old.html", "app.css", "logo.svg", "sw.js", "site.webmanifest", "sitemap.xml", "data.json", "assets/a-1f2e3d4c.js", "assets/b-2f3e4d5c.js", "assets/c-3f4e5d6c.css"]; // prettier-ignore

/** Fingerprinted names carry their content in it: the same name always has the same bytes. */
const files = fc
  .dictionary(fc.constantFrom(...NAMES), fc.constantFrom("one", "two", "three", ""), { minKeys: 1 })
  .map((build) =>
    Object.fromEntries(Object.entries(build).map(([key, text]) => [key, key.includes("-") ? key : text])),
  );

const tamperings = fc.array(
  fc.tuple(fc.constantFrom(...NAMES, "news/", "theirs.txt"), fc.option(fc.constant("tampered"))),
  { maxLength: 3 },
);

const siteOf = async (store: ObjectStore): Promise<Map<string, string>> => {
  const site = new Map<string, string>();
  for await (const page of store.list()) {
    for (const { key } of page.objects) {
      if (key.startsWith(".courier/")) continue;
      const { headers } = (await store.head(key)) as NonNullable<Awaited<ReturnType<ObjectStore["head"]>>>;
      site.set(key, `${await readText(await store.get(key))} ${JSON.stringify(headers)}`);
    }
  }
  return site;
};

const ALONE = { describe: () => ({ host: "test", process: 1, processStart: "" }), isAlive: () => false };

const run = (build: Record<string, string>, store: ObjectStore, serves: "website" | "objects" = "website") =>
  // Whoever has a hold is dead by now: these runs come one after the other.
  deliver(memoryDelivery({ files: build, store, rules: { endpoint: { serves } }, machine: ALONE }), {
    dryRun: false,
    all: false,
  });

test("any build against any destination: no order violation, then no difference, then nothing left to do", async () => {
  let deliveries = 0;
  await holds(
    fc.asyncProperty(fc.array(fc.tuple(files, tamperings), { minLength: 1, maxLength: 5 }), fc.constantFrom("website", "objects"), async (history, serves) => {
      const store = new MemoryStore();
      const tampered = new Set<string>();
      for (const [build, changes] of history) {
        for (const [key, text] of changes) {
          store.tamper(key, text ?? undefined);
          tampered.add(key);
        }
        await run(build, store, serves);
        deliveries += 1;
        for (const [key, text] of Object.entries(build)) expect([key, await readText(await store.get(key))]).toEqual([key, text]);
        const pages = [...(await siteOf(store)).keys()].filter((key) => key.endsWith(".html"));
        expect(pages.filter((key) => !(key in build) && !tampered.has(key))).toEqual([]);
        const alias = serves === "objects" ? build["news/index.html"] : undefined;
        if (!tampered.has("news/") || alias !== undefined) expect(await readText(await store.get("news/"))).toBe(alias);
        const before = store.trace.length;
        expect(await run(build, store, serves)).toMatchObject({ changes: [], pruned: [] });
        expect(store.trace.slice(before)).toEqual([]);
      }
    }),
    { seeds: [9], numRuns: 50 },
  );
  expect(deliveries).toBeGreaterThan(120);
}); // prettier-ignore

/** A store that dies at its n-th write: before it took effect, or after with its answer lost. */
function dyingStore(store: MemoryStore, dieAt: number, lostAnswer: boolean): ObjectStore {
  let writes = 0;
  const write = async <T>(call: () => Promise<T>): Promise<T> => {
    writes += 1;
    if (writes < dieAt) return call();
    if (writes === dieAt && lostAnswer) await call();
    throw new StoreError("unreachable", "died", { action: { do: "write", key: "" } });
  };
  return {
    location: store.location,
    carriesHeaders: true,
    listsFromAnywhere: false,
    abandonUploads: () => store.abandonUploads(),
    list: (below) => store.list(below),
    head: (key) => store.head(key),
    get: (key) => store.get(key),
    put: (...args) => write(() => store.put(...args)),
    copy: (...args) => write(() => store.copy(...args)),
    isPublic: () => store.isPublic(),
    readWebsite: () => store.readWebsite(),
    writeWebsite: (settings) => write(() => store.writeWebsite(settings)),
    remove: (...args) => write(() => store.remove(...args)),
    close: () => undefined,
  };
}

test.each(["website", "objects"] as const)(
  "a run that dies at its n-th write leaves every page whole, and the same call ends as an undisturbed run does (%s)",
  async (serves) => {
    const first = {
      "index.html": "one assets/a-1f2e3d4c.js",
      "old.html": "old assets/a-1f2e3d4c.js",
      "news/index.html": "one",
      "assets/a-1f2e3d4c.js": "a",
      "sw.js": "1",
      "app.css": "1",
    };
    const second = {
      "index.html": "two assets/b-2f3e4d5c.js",
      "new.html": "new assets/b-2f3e4d5c.js",
      "news/index.html": "two",
      "assets/b-2f3e4d5c.js": "b",
      "sw.js": "2",
      "app.css": "2",
    };
    const undisturbed = new MemoryStore();
    await run(first, undisturbed, serves);
    await run(second, undisturbed, serves);
    const expected = await siteOf(undisturbed);

    let deaths = 0;
    for (const lostAnswer of [false, true]) {
      for (let dieAt = 1, ended = false; !ended; dieAt++) {
        const store = new MemoryStore();
        await run(first, store, serves);
        ended = await run(second, dyingStore(store, dieAt, lostAnswer), serves).then(() => true, () => false); // prettier-ignore
        if (!ended) deaths += 1;
        const site = await siteOf(store);
        for (const [key, text] of site) {
          if (!key.endsWith(".html")) continue;
          for (const [asset] of text.matchAll(/assets\/[\w-]+\.js/g))
            expect([dieAt, key, asset, site.has(asset)]).toEqual([dieAt, key, asset, true]);
        }
        await run(second, store, serves);
        expect([dieAt, await siteOf(store)]).toEqual([dieAt, expected]);
      }
    }
    expect(deaths).toBeGreaterThan(20);
  },
);

test("what the tool writes down is held by no cache, and says what it is", async () => {
  const store = new MemoryStore();
  for (const text of ["one", "two"]) await run({ "index.html": text, "assets/a-1f2e3d4c.js": "a" }, store);
  const types = new Map<string, string | undefined>();
  for await (const { objects } of store.list(".courier/"))
    for (const { key } of objects) {
      if (key.includes("/vault/")) continue;
      const { headers } = (await store.head(key)) as NonNullable<Awaited<ReturnType<ObjectStore["head"]>>>;
      expect([key, headers["cache-control"]]).toEqual([key, "no-store"]);
      types.set(key.replace(/\d+-run-\d+/, "N"), headers["content-type"]);
    }
  expect(Object.fromEntries(types)).toEqual({
    ".courier/current.json": "application/json",
    ".courier/hold.json": "application/json",
    ".courier/immutable.json.gz": "application/gzip",
    ".courier/releases/N.ndjson.gz": "application/gzip",
  });
});
