import { setTimeout as sleep } from "node:timers/promises";
import type { ObjectStore } from "../../src/ports/object-store.ts";
import { killAfter } from "../support/kill-after.ts";
import { ProjectHere } from "../support/called-here.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import {
  copyDestination,
  findBroken,
  listKeys,
  openStore,
  ownKeys,
  readSite,
} from "../support/stored-site.ts";
import { isSoak } from "../support/seeds.ts";
import { makeSite } from "../support/small-site.ts";

/** For hammering by hand: so many times the kills of the soak. */
const TIMES = Number(process.env.COURIER_KILLS ?? 1);
const BUILDS = process.env.COURIER_KILL_BUILDS ?? makeSite();

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

const settingsAt = (prefix: string, releases: number): string =>
  sandbox.settings(`${BUILDS}/2`, `    retain: { releases: ${releases}, for: 1s }`, prefix);

interface Kind {
  readonly name: string;
  readonly before: readonly (readonly string[])[];
  readonly call: readonly string[];
  readonly kills: number;
  /** How many releases stay. */
  readonly releases: number;
  /** What must have passed since the calls before. */
  readonly waitMs: number;
}

const KINDS: readonly Kind[] = [
  {
    name: "a delivery",
    before: [["deliver", "--build", `${BUILDS}/1`]],
    call: ["deliver", "--build", `${BUILDS}/2`],
    kills: isSoak ? 200 * TIMES : 4,
    releases: 5,
    waitMs: 0,
  },
  {
    name: "a redelivery",
    before: [
      ["deliver", "--build", `${BUILDS}/1`],
      ["deliver", "--build", `${BUILDS}/2`],
    ],
    call: ["redeliver", "1"],
    kills: isSoak ? 40 * TIMES : 3,
    releases: 5,
    waitMs: 0,
  },
  {
    name: "a prune",
    before: [
      ["deliver", "--build", `${BUILDS}/1`],
      ["deliver", "--build", `${BUILDS}/2`],
    ],
    call: ["prune"],
    kills: isSoak ? 20 * TIMES : 3,
    releases: 1,
    waitMs: 2500,
  },
];

/** What stands in the end: the site with its headers, and the set of our own keys. */
const stateOf = async (store: ObjectStore) => ({
  site: [...(await readSite(store))].map(([key, { hash, headers }]) => [key, hash, headers]),
  own: ownKeys(await listKeys(store)),
});

test.each(KINDS)(
  "$name that is killed at any point leaves every page whole, and the same call ends as an undisturbed one",
  async ({ name, before, call, kills, releases, waitMs }) => {
    const origin = `${name}/seed/`;
    const seed = openStore(sandbox, origin);
    const runAt = (prefix: string): ProjectHere =>
      new ProjectHere(settingsAt(prefix, releases), sandbox.facts);
    for (const args of before) await runAt(origin).result(args);
    // The site is whole to begin with, and the search for broken pages finds what there is to find.
    expect(findBroken(await readSite(seed))).toEqual([]);
    const stage = async (prefix: string): Promise<ObjectStore> => {
      const store = openStore(sandbox, prefix);
      await copyDestination(sandbox, { from: origin, to: prefix });
      return store;
    };
    const undisturbed = await stage(`${name}/undisturbed/`);
    const stages: ObjectStore[] = [];
    for (let number = 0; number < kills; number++) stages.push(await stage(`${name}/${number}/`));
    // Copies are younger than what they are of: time must pass for them as well.
    await sleep(waitMs);
    const first = sandbox.countRequests();
    await runAt(`${name}/undisturbed/`).result(call);
    const requests = sandbox.countRequests() - first;
    const expected = await stateOf(undisturbed);

    let killed = 0;
    for (const [number, store] of stages.entries()) {
      const prefix = `${name}/${number}/`;
      const dieAfter = 1 + Math.floor((number * requests) / kills);
      const mortal = new Project(settingsAt(prefix, releases), sandbox.facts);
      killed += Number(await killAfter(mortal, call, dieAfter, sandbox));
      const broken = findBroken(await readSite(store));
      expect([dieAfter, broken]).toEqual([dieAfter, []]);
      const again = await runAt(prefix).run([...call, "--format", "json"]);
      expect([dieAfter, again.exit, again.exit === 0 ? "" : again.stdout]).toEqual([dieAfter, 0, ""]);
      expect([dieAfter, await stateOf(store)]).toEqual([dieAfter, expected]);
      store.close();
    }
    // Some runs end just before their kill; most must not.
    expect(killed).toBeGreaterThan(kills / 2);
  },
  3_600_000,
);
