import { site, Stage } from "../../test/support/stage.ts";
import { parsePointer } from "../core/history/waybill.ts";
import { invalidate, type InvalidateOptions } from "./invalidate.ts";

const PLAIN: InvalidateOptions = {
  patterns: [],
  owed: false,
  everything: false,
  dryRun: false,
  queueSeconds: 0,
};

/** A site behind an edge that has confirmed all of it, or nothing yet. */
async function deliveredTo(edgeConfirms: boolean): Promise<Stage> {
  const stage = new Stage();
  stage.edgeConfirms = edgeConfirms;
  for (const name of ["one", "two"]) await stage.deliver(site(name));
  stage.asked.splice(0);
  stage.edgeConfirms = true;
  return stage;
}
const owedBy = async (stage: Stage): Promise<string[]> =>
  parsePointer((await stage.text(".courier/current.json")) ?? "").owed.map(({ edge }) => edge);
const askedOnce = (stage: Stage): string[] => [...new Set(stage.asked)].sort();

test("what a person names is asked for, and nothing is written; a dry run asks nobody", async () => {
  const stage = await deliveredTo(true);
  const before = await stage.text(".courier/current.json");
  const dry = await invalidate(stage.delivery(), { ...PLAIN, patterns: ["/index.html"], dryRun: true });
  expect([dry.dryRun, stage.asked]).toEqual([true, []]);
  const { invalidation } = await invalidate(stage.delivery(), { ...PLAIN, patterns: ["/index.html"] });
  expect([askedOnce(stage), invalidation.owed]).toEqual([["/index.html"], []]);
  stage.asked.splice(0);
  const { invalidation: changed } = await invalidate(stage.delivery(), { ...PLAIN, release: "2" });
  expect([askedOnce(stage).includes("/"), changed.owed]).toEqual([true, []]);
  expect(await stage.text(".courier/current.json")).toBe(before);
});

test("whoever asks for everything is asked first, and nothing happens without a yes", async () => {
  const stage = await deliveredTo(true);
  const no = new Error("no");
  const confirm = (): Promise<void> => Promise.reject(no);
  await expect(invalidate(stage.delivery(), { ...PLAIN, everything: true, confirm })).rejects.toBe(no);
  expect(stage.asked).toEqual([]);
  await invalidate(stage.delivery(), { ...PLAIN, everything: true, confirm: () => Promise.resolve() });
  expect(stage.asked.length).toBeGreaterThan(0);
});

test("what is owed is asked for and struck out once it is confirmed, and not before", async () => {
  const stage = await deliveredTo(false);
  expect(await owedBy(stage)).toEqual(["near"]);
  stage.edgeConfirms = false;
  const pay = async () => (await invalidate(stage.delivery(), { ...PLAIN, owed: true })).invalidation.owed;
  expect(await pay()).toContain("/");
  expect(await owedBy(stage)).toEqual(["near"]);
  stage.edgeConfirms = true;
  expect(await pay()).toEqual([]);
  expect([await owedBy(stage), stage.asked.includes("/")]).toEqual([[], true]);
  stage.asked.splice(0);
  await pay();
  expect(stage.asked).toEqual([]);
});

test("what an edge owes that is no longer there is struck out by its name, and by no other", async () => {
  const stage = await deliveredTo(false);
  stage.edgeConfirms = undefined;
  await expect(invalidate(stage.delivery(), PLAIN)).rejects.toMatchObject({ code: "no-edge" });
  const gone = (...names: string[]) => invalidate(stage.delivery(), { ...PLAIN, gone: names });
  await expect(gone("far")).rejects.toMatchObject({ code: "no-such-debt", data: { edge: "far" } });
  expect(await owedBy(stage)).toEqual(["near"]);
  await gone("near");
  expect([await owedBy(stage), stage.asked]).toEqual([[], []]);
});

test("a delivery asks for a worker when it is written, after all else, and for new assets before any page", async () => {
  const stage = new Stage();
  stage.edgeConfirms = true;
  const files = (text: string) => ({
    "index.html": text,
    "sw.js": text,
    [`assets/${text}-1f2e3d4c.js`]: text,
  });
  await stage.deliver(files("one"));
  stage.asked.splice(0);
  await stage.deliver(files("two"));
  const [page, worker, asset] = ["/index.html", "/sw.js", "/assets/two-1f2e3d4c.js"].map((address) =>
    stage.asked.flatMap((one, at) => (one === address ? [at] : [])),
  );
  expect([page?.length, worker?.length, asset?.length]).toEqual([2, 2, 2]);
  expect(Math.min(...(worker ?? []))).toBeGreaterThan(Math.max(...(page ?? [])));
  expect(Math.min(...(asset ?? []))).toBeLessThan(Math.min(...(page ?? [])));
});

test("a tree is asked for name by name where the edge takes none, and nothing below it is a mistake", async () => {
  const stage = await deliveredTo(true);
  await invalidate(stage.delivery(), { ...PLAIN, patterns: ["/assets/*"] });
  expect([stage.asked.length > 0, stage.asked.every((one) => /^\/assets\/[^*]+$/.test(one))]).toEqual([
    true,
    true,
  ]);
  const nothing = invalidate(stage.delivery(), { ...PLAIN, patterns: ["/none/*"] });
  await expect(nothing).rejects.toMatchObject({ code: "no-match", data: { glob: "/none/*", release: 2 } });
  const first = invalidate(Object.assign(new Stage(), { edgeConfirms: true }).delivery(), PLAIN);
  await expect(first).rejects.toMatchObject({ code: "nothing-delivered" });
});
