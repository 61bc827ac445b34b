import { createHash } from "node:crypto";
import { buffer } from "node:stream/consumers";
import type { ReadObject } from "../ports/object-store.ts";
import { readPointer } from "../gather/read-destination.ts";
import { deliver } from "./deliver.ts";
import { around } from "../../test/support/around.ts";
import { OPTIONS, site, Stage } from "../../test/support/stage.ts";

test("a delivery of nothing new reads the pointer and the newest record, however many releases are retained", async () => {
  const stage = new Stage();
  stage.retention = { releases: 6, forSeconds: 0 };
  for (const name of ["one", "two", "three", "four", "five", "six", "seven"]) await stage.deliver(site(name));
  const read: string[] = [];
  stage.between = (store) =>
    around(store, {
      get: (key) => {
        read.push(key.replace(/\d+-run-\d+/, "record"));
        return store.get(key);
      },
    });
  const { release, previous } = await stage.deliver(site("seven"));
  expect(read.filter((key) => !/hold/.test(key))).toEqual([".courier/current.json", ".courier/releases/record.ndjson.gz"]);
  expect([release, previous]).toEqual([7, 7]);
}); // prettier-ignore

/** A site of so many pages that what an edge owes of it makes the pointer long. */
const manyPages = (text: string): Record<string, string> =>
  Object.fromEntries(
    Array.from({ length: 3000 }, (_, page) => [
      page === 0 ? "index.html" : `crossings-of-the-week-${page}/index.html`,
      text,
    ]),
  );

const pointerBytes = async (stage: Stage): Promise<Buffer> =>
  buffer(((await stage.store.get(".courier/current.json")) as ReadObject).body);

test("a pointer that holds much is packed, says the same, and shrinks once what it holds is paid", async () => {
  const stage = new Stage();
  stage.edgeConfirms = false;
  await stage.deliver(manyPages("one"));
  const owed = await stage.deliver(manyPages("two"));
  expect(owed.invalidation.confirmed).toBe(false);
  const packed = await pointerBytes(stage);
  const { pointer } = (await readPointer(stage.store)) ?? {};
  expect(pointer?.owed[0]?.addresses.length).toBeGreaterThan(2999);
  expect(packed.length * 4).toBeLessThan(JSON.stringify(pointer).length);

  // Who can read the packed one at the site's address reads our records.
  const hash = createHash("sha256").update(packed).digest("hex");
  const delivery = stage.delivery(manyPages("three"));
  const visitors = { ask: (address: string) => Promise.resolve({ status: address === "/.courier/current.json" ? 200 : 404, headers: {}, hash, size: 1 }) };
  const refused = deliver({ ...delivery, place: { ...delivery.place, visitors: visitors as never } }, OPTIONS);
  await expect(refused).rejects.toMatchObject({ code: "refused", data: { problems: [expect.objectContaining({ code: "exposed" })] } });

  stage.edgeConfirms = true;
  await stage.deliver(manyPages("two"));
  expect((await pointerBytes(stage)).toString("utf8")).toMatch(/"owed": \[\]/);
}); // prettier-ignore
