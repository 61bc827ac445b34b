import { around } from "../../test/support/around.ts";
import { site, Stage } from "../../test/support/stage.ts";

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
