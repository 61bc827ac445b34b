import { site, Stage } from "../../test/support/stage.ts";
import {
  compareReleases,
  listReleases,
  readRelease,
  repairReleases,
  showHold,
  takeAwayHold,
} from "./releases.ts";

async function delivered(...names: string[]): Promise<Stage> {
  const stage = new Stage();
  for (const name of names) await stage.deliver(site(name));
  return stage;
}

test("releases are listed newest first, one by its name, and compared; a record that is gone is told as unread", async () => {
  const stage = await delivered("one", "two", "three");
  const { place } = stage.delivery();
  const list = async () => (await listReleases(place)).waybills.map(({ release, waybill }) => [release, waybill?.parcels.length]); // prettier-ignore
  expect(await list()).toEqual([[3, 3], [2, 3], [1, 3]]); // prettier-ignore
  expect((await readRelease(place, "2")).release).toBe(2);
  const { from, to, differences } = await compareReleases(place, ["1", "3"]);
  expect([from.release, to.release, differences.length]).toEqual([1, 3, 4]);
  const [record] = (await stage.keys(".courier/releases/")).filter((key) => key.includes("/2-"));
  stage.store.tamper(record ?? "", undefined);
  expect(await list()).toEqual([[3, 3], [2, undefined], [1, 3]]); // prettier-ignore
  await expect(readRelease(place, "9")).rejects.toMatchObject({ code: "no-such-release" });
});

test("nothing delivered is told from a pointer that was lost, and this is made anew, once", async () => {
  await expect(listReleases(new Stage().delivery().place)).rejects.toMatchObject({
    code: "nothing-delivered",
  });
  const stage = await delivered("one", "two");
  await expect(repairReleases(stage.delivery())).rejects.toMatchObject({ code: "nothing-to-repair" });
  stage.store.tamper(".courier/current.json", undefined);
  await expect(listReleases(stage.delivery().place)).rejects.toMatchObject({ code: "record-lost" });
  expect((await repairReleases(stage.delivery())).release).toBe(2);
  expect((await listReleases(stage.delivery().place)).pointer.release).toBe(2);
  stage.store.tamper(".courier/current.json", "{");
  expect((await repairReleases(stage.delivery())).release).toBe(2);
});

test("the hold of a run is shown, and taken away once; whoever delivers next need not wait for it", async () => {
  const stage = await delivered("one");
  const { place } = stage.delivery();
  expect((await showHold(place))?.hold?.isReleased).toBe(true);
  expect(await takeAwayHold(place)).toBeUndefined();
  const text = (await stage.text(".courier/hold.json")) ?? "";
  stage.store.tamper(".courier/hold.json", text.replace(`"isReleased":true`, `"isReleased":false`));
  expect((await takeAwayHold(place))?.work).toBe("deliver");
  expect((await showHold(place))?.hold?.isReleased ?? true).toBe(true);
  expect((await stage.deliver(site("two"))).release).toBe(2);
});
