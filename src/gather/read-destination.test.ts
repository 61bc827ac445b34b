import { MemoryStore } from "../adapters/stores/memory/memory-store.ts";
import { around } from "../../test/support/around.ts";
import { site, Stage } from "../../test/support/stage.ts";
import { toContent } from "../perform/record.ts";
import { POINTER_KEY } from "../core/model/names.ts";
import { readDestination } from "./read-destination.ts";

/** What a store says of itself that has been delivered to once; each list tells another ETag of the pointer, so many times. */
async function readWith(oddLists: number) {
  const stage = new Stage();
  await stage.deliver(site("one"));
  let [lists, pointers] = [0, 0];
  const store = around(stage.store, {
    list: async function* (below) {
      lists += 1;
      for await (const page of stage.store.list(below))
        yield lists > oddLists
          ? page
          : {
              ...page,
              objects: page.objects.map((one) => (one.key === POINTER_KEY ? { ...one, etag: "odd" } : one)),
            };
    },
    get: (key) => {
      pointers += Number(key === POINTER_KEY);
      return stage.store.get(key);
    },
  });
  const state = await readDestination(store, "production");
  return { state, lists, pointers };
}

test.each([
  [0, 1],
  [1, 2],
  [2, 3],
  [Infinity, 3],
])(
  "where the first %s lists speak of another pointer, both are read %s times, and then what was read last counts",
  async (odd, looks) => {
    const { state, lists, pointers } = await readWith(odd);
    expect([lists, pointers, state.pointer?.release]).toEqual([looks, looks, 1]);
    expect(state.listing.find(({ key }) => key === POINTER_KEY)?.etag === "odd").toBe(odd === Infinity);
  },
);

test("a failure of the list, or of the pointer, is told when both have ended", async () => {
  const store = new MemoryStore();
  let ended = 0;
  const end = (): void => void (ended += 1);
  const fail = (): Promise<never> => Promise.reject(new Error("gone")).finally(end);
  const slow = around(store, { get: fail, list: async function* () { yield await Promise.resolve({ objects: [] }); end(); } }); // prettier-ignore
  await expect(readDestination(slow, "production")).rejects.toThrow("gone");
  expect(ended).toBe(2);
});

test("records without a pointer are never taken for a first delivery", async () => {
  const store = new MemoryStore();
  const content = toContent(Buffer.from("x"));
  await store.put(".courier/releases/1-20260304T142000Z-0123abcd.ndjson.gz", content, {});
  await expect(readDestination(store, "production")).rejects.toMatchObject({ code: "record-lost" });
});
