import type { MemoryTraits } from "../adapters/stores/memory/memory-store.ts";
import { World, type Disturbance } from "../../test/support/world.ts";
import { filesOf } from "../../test/support/world-site.ts";
import { isSoak } from "../../test/support/seeds.ts";
import { around } from "../../test/support/around.ts";
import { OPTIONS, site, Stage } from "../../test/support/stage.ts";
import { readText } from "../../test/contracts/object-store.ts";
import { POINTER_KEY } from "../core/model/names.ts";
import { deliver } from "./deliver.ts";

/**
 * A machine falls asleep with one write under way; others take over, deliver and end; then that write reaches the store. It
 * was let through in time, so only its own condition can stop it.
 */

/** From 0 to below 1, the same each time; visitors come by now and then. */
const toChance = (): (() => number) => {
  let state = 11;
  return () => (state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0) / 2 ** 32;
};

const wrongFiles = async (world: World, build: number): Promise<string[]> => {
  const wrong: string[] = [];
  for (const [key, text] of Object.entries(filesOf(build)))
    if ((await readText(await world.store.get(key))) !== text) wrong.push(key);
  return wrong;
};

const LAST_STEP = 60;

const WORLDS: readonly [string, MemoryTraits, Partial<Disturbance>][] = [
  ["one other run", {}, {}],
  ["one other run, on a store whose ETags are never the same twice", { opaqueEtags: true }, {}],
  // With ETags that tell only the bytes, what comes back after two others looks as if nothing had happened.
  ["two other runs", { opaqueEtags: true }, { secondRival: 3 }],
];

describe.each(isSoak ? WORLDS : WORLDS.slice(0, 1))(
  "a write that comes late, after %s",
  (_, traits, others) => {
    const first = [{ build: 1 }];
    test.each<[string, Disturbance, readonly Disturbance[]]>([
      ["of a delivery, while the build before is delivered again", { build: 2, rival: 1 }, first],
      ["of a delivery, while another build is delivered", { build: 2, rival: 3 }, first],
      [
        "of the clearing of old chunks, while they are delivered again",
        { build: 3, rival: 1 },
        [...first, { build: 2 }],
      ],
      [
        "of a way back, while the newer build is delivered again",
        { build: 1, work: "redeliver", rival: 3 },
        [...first, { build: 3 }],
      ],
      [
        "of a prune, while what it removes is delivered again",
        { build: 3, work: "prune", rival: 1 },
        [...first, { build: 2 }, { build: 3, edgeFails: true }],
      ],
    ])("%s: changes nothing of theirs", async (_name, run, before) => {
      const ends = new Map<string, number>();
      for (let lateAt = 1; lateAt <= LAST_STEP; lateAt += isSoak ? 1 : 3) {
        const world = new World(toChance(), { edge: "exact", traits });
        for (const earlier of before) await world.run(earlier);
        const end = await world.run({ ...run, ...others, lateAt });
        if (!world.sleptLate) continue;
        ends.set(end, (ends.get(end) ?? 0) + 1);
        const theirs = await wrongFiles(world, others.secondRival ?? (run.rival as number));
        // One that slept before it had the hold plans anew and goes on after the others; one that had ended has nothing to lose.
        const own = end === "done" && run.build !== run.rival ? await wrongFiles(world, run.build) : theirs;
        const wrong = own.length < theirs.length ? own : theirs;
        expect([lateAt, end, wrong, world.faults]).toEqual([lateAt, end, [], []]);
      }
      // It was met at many of its writes, and noticed.
      const noticed = [...ends].reduce((sum, [end, count]) => sum + (end === "done" ? 0 : count), 0);
      expect(noticed).toBeGreaterThan(run.work === "prune" ? 0 : 3);
    });
  },
);

test("a run that others have overtaken leaves its record again: a write of it may have landed since", async () => {
  let overtaken = 0;
  for (let rivalAt = 12; rivalAt <= 40; rivalAt += isSoak ? 1 : 2) {
    const world = new World(toChance(), { edge: "exact" });
    await world.run({ build: 1 });
    // It sleeps somewhere; another delivery comes to its end meanwhile and clears the record away.
    if ((await world.run({ build: 4, rivalAt, rival: 2 })) !== "hold-lost") continue;
    overtaken += 1;
    const open: string[] = [];
    for await (const { objects } of world.store.list(".courier/open/"))
      open.push(...objects.map(({ key }) => key));
    expect([rivalAt, open]).toEqual([rivalAt, [expect.any(String)]]);
  }
  expect(overtaken).toBeGreaterThan(3);
});

test("right before anything is cleared the pointer is looked at: a release of another run keeps what it may need", async () => {
  const stage = new Stage();
  stage.retention = { releases: 1, forSeconds: 0 };
  for (const name of ["one", "two"]) await stage.deliver(site(name));
  stage.between = (store) =>
    around(store, {
      put: async (key, ...rest) => {
        const written = await store.put(key, ...rest);
        // Somebody has ended this run's hold by hand, and another run has delivered: this one has not noticed yet.
        if (key === POINTER_KEY) {
          const text = (await stage.text(POINTER_KEY)) ?? "";
          stage.store.tamper(POINTER_KEY, text.replace(/"run": "[^"]+"/, '"run": "of-another"'));
        }
        return written;
      },
    });
  await expect(stage.deliver(site("three"))).rejects.toMatchObject({ code: "hold-lost" });
  expect(await stage.text("assets/two-1f2e3d4c.js")).toBe("two");
});

test("pages are read once more before the first of them is switched: a build that goes on under a delivery changes nothing", async () => {
  const stage = new Stage();
  await stage.deliver(site("one"));
  const delivery = stage.delivery(site("two"));
  const asked: string[] = [];
  const source = {
    ...delivery.source,
    findChanged: (parcels: readonly { readonly key: string }[]) => {
      asked.push(...parcels.map(({ key }) => key));
      return "index.html";
    },
  };
  await expect(deliver({ ...delivery, source }, OPTIONS)).rejects.toMatchObject({ code: "build-changed" });
  expect(asked).toEqual(expect.arrayContaining(["index.html", "old.html"]));
  expect([await stage.text("index.html"), await stage.text("old.html")]).toEqual(["one index", "one old"]);
});
