import { byUtf8 } from "../core/model/names.ts";
import type { ListRange, ObjectStore } from "../ports/object-store.ts";
import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { skipBelow } from "./skip-below.ts";

/** A store that lists two objects a page, from anywhere, and tells how often it was asked. */
function pagedStore(keys: readonly string[]): { store: ObjectStore; asked: () => number } {
  let asked = 0;
  const sorted = [...keys].sort(byUtf8);
  const list = async function* (below = "", { after = "" }: ListRange = {}) {
    const found = sorted.filter((key) => key.startsWith(below) && byUtf8(key, after) > 0);
    for (let at = 0; at < found.length; at += 2) {
      asked += 1;
      const objects = found.slice(at, at + 2).map((key) => ({ key, size: 1, etag: "e", modifiedMs: 1 }));
      yield await Promise.resolve({ objects, storeTimeMs: 1 });
    }
  };
  return { store: Object.assign(new MemoryStore(), { list, listsFromAnywhere: true }), asked: () => asked };
}

async function listKeys(store: ObjectStore, below?: string): Promise<string[]> {
  const keys: string[] = [];
  for await (const { objects } of store.list(below)) keys.push(...objects.map(({ key }) => key));
  return keys;
}

const PREVIEWS = Array.from({ length: 40 }, (_, at) => `previews/p${at}/index.html`);

test("a list passes over a folder, whatever stands before and behind it, and reads hardly any of it", async () => {
  const own = ["a", "b", "previews", "previews-old/x", "previews.html", "previews/~theirs", "previewsz", "z"];
  const { store, asked } = pagedStore([...own, ...PREVIEWS]);
  const wanted = own.filter((key) => !key.startsWith("previews/")).sort(byUtf8);
  expect(await listKeys(skipBelow(store, "previews/"))).toEqual(wanted);
  expect(asked()).toBeLessThan(8);
  expect(await listKeys(skipBelow(store, "previews/"), "previews/p1/")).toEqual([]);
  expect(await listKeys(skipBelow(pagedStore(PREVIEWS).store, "previews/"))).toEqual([]);
  expect(await listKeys(skipBelow(pagedStore([]).store, "previews/"))).toEqual([]);
});

test("names behind all previews end a list as any others do", async () => {
  const late = ["previews/~1", "previews/~2", "previews/é", "previews/é2"];
  const { store, asked } = pagedStore([...PREVIEWS, ...late]);
  expect(await listKeys(skipBelow(store, "previews/"))).toEqual([]);
  expect(asked()).toBeLessThan(6);
});

test("one that lists only as a whole is passed over as well", async () => {
  const { store } = pagedStore([...PREVIEWS, "z"]);
  const whole = Object.assign(store, { listsFromAnywhere: false });
  expect(await listKeys(skipBelow(whole, "previews/"))).toEqual(["z"]);
});
