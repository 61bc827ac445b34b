import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { OPTIONS } from "../../test/support/stage.ts";
import { memoryDelivery } from "../../test/support/memory-build.ts";
import { listKeys, readSite } from "../../test/support/stored-site.ts";
import { StoreError, type ObjectStore, type StoreErrorKind } from "../ports/object-store.ts";
import { deliver } from "./deliver.ts";
import { listPreviews, removePreview } from "./previews.ts";
import type { Delivery } from "./run.ts";

const FILES = {
  "index.html": '<script src="assets/app-1f2e3d4c.js"></script>',
  "assets/app-1f2e3d4c.js": "boat();",
  "sw.js": "self.boats = 1;",
  "about.html": "about",
};
const PLACE = { bucket: "memory", prefix: "" };

/** A store that copies from the other one as well, or fails at it. */
function reaching(store: MemoryStore, original: MemoryStore, failure?: StoreErrorKind): ObjectStore {
  const copy: ObjectStore["copy"] = async (from, to, headers, condition) => {
    if (!from.place) return store.copy(from, to, headers, condition);
    if (failure) throw new StoreError(failure, failure, { action: { do: "copy", from: from.key, to } });
    const found = await original.get(from.key);
    if (found?.etag !== from.etag)
      throw new StoreError("precondition", "changed", { action: { do: "copy", from: from.key } });
    const chunks: Uint8Array[] = [];
    for await (const chunk of found?.body ?? []) chunks.push(chunk);
    const bytes = Buffer.concat(chunks);
    const { createHash } = await import("node:crypto");
    const hash = createHash("sha256").update(bytes).digest("hex");
    copied.push(to);
    return store.put(
      to,
      { size: bytes.length, hash, open: () => bytes },
      headers ?? found?.headers ?? {},
      condition,
    );
  };
  return Object.assign(Object.create(store) as ObjectStore, { copy });
}

const copied: string[] = [];

interface Stage {
  readonly original: MemoryStore;
  readonly store: MemoryStore;
  readonly delivery: Delivery;
}

async function setUp(files: Readonly<Record<string, string>>, failure?: StoreErrorKind): Promise<Stage> {
  copied.length = 0;
  const [original, store] = [new MemoryStore(), new MemoryStore()];
  await deliver(memoryDelivery({ files: FILES, store: original }), OPTIONS);
  const made = memoryDelivery({ files, store: reaching(store, original, failure), rules: { noIndex: true } });
  const preview = {
    name: "main",
    lastsSeconds: 60,
    until: "1970-01-01T00:01:00.000Z",
    original: { store: original, place: PLACE },
  };
  return { original, store, delivery: { ...made, place: { ...made.place, preview } } };
}

const next = { ...FILES, "about.html": "about us", "more.html": "more" };

test("what the destination has is copied from there, workers by way of the vault; what it has not is sent", async () => {
  const { store, delivery } = await setUp(next);
  const result = await deliver(delivery, OPTIONS);
  expect(result.changes.map(({ key, by }) => [key, by])).toEqual([
    ["about.html", "sending"],
    ["assets/app-1f2e3d4c.js", "copying"],
    ["index.html", "copying"],
    ["more.html", "sending"],
    ["robots.txt", "sending"],
    ["sw.js", "copying"],
  ]);
  expect(copied.map((key) => key.replace(/[0-9a-f]{64}/, "HASH")).sort()).toEqual([
    ".courier/vault/HASH",
    "assets/app-1f2e3d4c.js",
    "index.html",
  ]);
  const site = await readSite(store);
  for (const [key, text] of Object.entries(next)) expect([key, site.get(key)?.text]).toEqual([key, text]);
  expect(result.preview).toEqual({ name: "main", until: "1970-01-01T00:01:00.000Z" });
});

test.each(["precondition", "denied", "unsupported", "other"] as const)(
  "what can't be copied (%s) is sent from the build",
  async (failure) => {
    const { store, delivery } = await setUp(next, failure);
    await deliver(delivery, OPTIONS);
    const site = await readSite(store);
    for (const [key, text] of Object.entries(next)) expect([key, site.get(key)?.text]).toEqual([key, text]);
    expect((await deliver(delivery, OPTIONS)).changes).toEqual([]);
  },
);

test("a failure that may pass by is no reason to send", async () => {
  const { delivery } = await setUp(next, "throttled");
  await expect(deliver(delivery, OPTIONS)).rejects.toMatchObject({ kind: "throttled" });
});

test("records that can't be read are no obstacle: everything is sent", async () => {
  const { original, store, delivery } = await setUp(next);
  original.tamper(".courier/current.json", Buffer.from("{"));
  const { changes } = await deliver(delivery, OPTIONS);
  expect([changes.every(({ by }) => by === "sending"), (await readSite(store)).size]).toEqual([true, 6]);
});

test("what was forgotten at the destination does not come back in a preview, as far as that may be seen", async () => {
  const { original, store, delivery } = await setUp(next);
  const { createHash } = await import("node:crypto");
  const mark = `.courier/forgotten/${createHash("sha256").update("more").digest("hex")}`;
  original.tamper(mark, "");
  await expect(deliver(delivery, OPTIONS)).rejects.toMatchObject({
    code: "refused",
    data: { problems: [{ code: "forgotten", path: "more.html" }] },
  });
  // Also where no record of it can be read.
  original.tamper(".courier/current.json", Buffer.from("{"));
  await expect(deliver(delivery, OPTIONS)).rejects.toMatchObject({ code: "refused" });
  const listing = (kind: StoreErrorKind): void => {
    original.list = () => {
      throw new StoreError(kind, kind, { action: { do: "list" } });
    };
  };
  listing("server");
  await expect(deliver(delivery, OPTIONS)).rejects.toMatchObject({ kind: "server" });
  expect((await readSite(store)).size).toBe(0);
  listing("denied");
  expect((await deliver(delivery, OPTIONS)).changes).toHaveLength(6);
});

test("a preview is listed with what it takes, and removed to its last object", async () => {
  const { store, delivery } = await setUp(next);
  await deliver(delivery, OPTIONS);
  const listed = await listKeys(store);
  const below = Object.assign(Object.create(store) as ObjectStore, {
    list: async function* () {
      for await (const page of store.list())
        yield { ...page, objects: page.objects.map((object) => ({ ...object, key: `main/${object.key}` })) };
    },
    get: (key: string) => store.get(key.slice("main/".length)),
  });
  expect((await listPreviews(below)).map(({ label, objects, pointer }) => [label, objects, typeof pointer === "object" ? pointer.release : pointer])).toEqual([
    ["main", listed.length, 1],
  ]);
  await removePreview(delivery, 0);
  expect(await listKeys(store)).toEqual([]);
}); // prettier-ignore
