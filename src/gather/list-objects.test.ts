import fc from "fast-check";
import { holds } from "../../test/support/seeds.ts";
import { byText, byUtf8 } from "../core/model/names.ts";
import type { ListRange, ObjectStore } from "../ports/object-store.ts";
import { chooseSplits, listAll } from "./list-objects.ts";

interface Kind {
  readonly pageSize: number;
  /** Which order it lists in. */
  readonly order?: (a: string, b: string) => number;
  readonly ignoresAfter?: boolean;
}

/** A store that lists so, and how many of its lists were under way at once. */
function makeStore(keys: readonly string[], { pageSize, order = byUtf8, ignoresAfter = false }: Kind) {
  const sorted = [...keys].sort(order);
  const seen = { now: 0, most: 0, pages: 0 };
  async function* list(_: string, { after, until }: ListRange = {}) {
    seen.most = Math.max(seen.most, ++seen.now);
    const left = sorted.filter((key) => after === undefined || ignoresAfter || order(key, after) > 0);
    for (let start = 0; start < Math.max(1, left.length); start += pageSize) {
      seen.pages += 1;
      await new Promise((done) => setImmediate(done));
      const page = left.slice(start, start + pageSize);
      yield {
        objects: page.map((key) => ({ key, size: 1, etag: key, modifiedMs: 7 })),
        storeTimeMs: seen.pages,
      };
      const [last, end] = [page.at(-1), until?.()];
      if (last !== undefined && end !== undefined && byUtf8(last, end) >= 0) break;
    }
    seen.now -= 1;
  }
  return { store: { list, listsFromAnywhere: true } as unknown as ObjectStore, seen };
}

const key = fc.string({
  minLength: 1,
  maxLength: 3,
  unit: fc.constantFrom("a", "b", "/", "é", "\uffee", "😀"),
});
const keys = fc.uniqueArray(key, { maxLength: 60 });
const later = async (ticks: number, splits: readonly string[]): Promise<readonly string[]> => {
  for (let tick = 0; tick < ticks; tick++) await new Promise((done) => setImmediate(done));
  return splits;
};

test("a list in parts is the whole list, each object once, wherever and whenever it is split", async () => {
  const property = fc.asyncProperty(
    keys,
    keys,
    fc.integer({ min: 1, max: 9 }),
    fc.nat({ max: 12 }),
    async (all, splits, pageSize, ticks) => {
      const { store } = makeStore(all, { pageSize });
      const { listing } = await listAll(store, later(ticks, [...splits].sort(byUtf8)));
      expect(listing.map((object) => object.key)).toEqual([...all].sort(byUtf8));
    },
  );
  await holds(property, { seeds: [5], numRuns: 150 });
});

test("a store that lists in another order, or always from the beginning, still tells everything", async () => {
  const all = ["a", "b", "c", "\uffee", "\uffef", "😀", "😁", "z1", "z2", "z3"];
  for (const kind of [{ order: byText }, { ignoresAfter: true }, { order: (a: string, b: string) => byUtf8(b, a) }]) {
    const { store } = makeStore(all, { pageSize: 2, ...kind });
    const { listing } = await listAll(store, Promise.resolve(["b", "z2", "😀"]));
    expect(listing.map((object) => object.key).sort(byText)).toEqual([...all].sort(byText));
  }
}); // prettier-ignore

test("a large site is listed in parts side by side, a small one page after page; a failure is told when all have ended", async () => {
  const large = Array.from({ length: 30_000 }, (_, index) => `page-${index}`);
  const splits = chooseSplits(large);
  expect([splits.length, splits.every((split, at) => at === 0 || byUtf8(splits[at - 1] ?? "", split) < 0)]).toEqual([11, true]);
  const { store, seen } = makeStore(large, { pageSize: 1000 });
  const { listing, storeTimeMs } = await listAll(store, later(1, splits));
  // Each part reads no further than the page on which the next one begins.
  expect([listing.length, seen.most > 4, seen.pages <= 30 + splits.length, storeTimeMs]).toEqual([30_000, true, true, seen.pages]);
  expect([chooseSplits(large.slice(0, 4999)), chooseSplits([])]).toEqual([[], []]);
  const slow = makeStore(large, { pageSize: 1000 });
  await expect(listAll(slow.store, later(1, []).then(() => { throw new Error("gone"); }))).rejects.toThrow("gone");
  expect(slow.seen.now).toBe(0);
}); // prettier-ignore

test("keys are ordered as their UTF-8 is", () => {
  const property = fc.property(fc.string({ unit: "grapheme" }), fc.string({ unit: "grapheme" }), (a, b) => {
    expect(Math.sign(byUtf8(a, b))).toBe(Math.sign(Buffer.compare(Buffer.from(a), Buffer.from(b))));
  });
  return holds(property, { seeds: [6], numRuns: 300 });
});
