import { killAfter } from "../support/kill-after.ts";
import { ProjectHere } from "../support/called-here.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import { isSoak } from "../support/seeds.ts";
import { findBroken, listKeys, openStore, ownKeys, readSite } from "../support/stored-site.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();
const KILLS = isSoak ? 60 : 3;

let sandbox: RunningSandbox;
let project: ProjectHere;
/** The same site; its calls are killed. */
let mortal: Project;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
  const more = '    url: "http://127.0.0.1:9"\n    previews: { address: "http://{name}.preview.localhost" }';
  project = new ProjectHere(sandbox.settings(`${BUILDS}/2`, more), sandbox.facts);
  mortal = new Project(sandbox.settings(`${BUILDS}/2`, more), sandbox.facts);
  await project.result(["deliver", "--build", `${BUILDS}/1`]);
});
afterAll(() => sandbox.stop());

const readAll = async (prefix: string): Promise<unknown> => {
  const store = openStore(sandbox, prefix);
  const site = [...(await readSite(store))].filter(([key]) => !key.startsWith("previews/"));
  const keys = (await listKeys(store)).filter((key) => !key.startsWith("previews/"));
  store.close();
  return { site: site.map(([key, { hash, headers }]) => [key, hash, headers]), own: ownKeys(keys) };
};

test("a preview that goes live and is killed on the way leaves every page whole; the same call ends it", async () => {
  await project.result(["deliver", "--preview", "live"]);
  const call = ["redeliver", "preview/live@1"];
  const before = sandbox.countRequests();
  await project.result(call);
  const requests = sandbox.countRequests() - before;
  const expected = await readAll("");
  let killed = 0;
  for (let number = 0; number < KILLS; number++) {
    await project.result(["redeliver", "1"]);
    const dieAfter = 1 + Math.floor((number * requests) / KILLS);
    killed += Number(await killAfter(mortal, call, dieAfter, sandbox));
    const store = openStore(sandbox, "");
    const site = await readSite(store);
    expect([dieAfter, findBroken(new Map([...site].filter(([key]) => !key.startsWith("previews/"))))]).toEqual([dieAfter, []]);
    store.close();
    const again = await project.run([...call, "--format", "json"]);
    expect([dieAfter, again.exit, again.exit === 0 ? "" : again.stdout]).toEqual([dieAfter, 0, ""]);
    expect([dieAfter, ((await readAll("")) as { site: unknown }).site]).toEqual([dieAfter, (expected as { site: unknown }).site]);
  }
  expect(killed).toBeGreaterThan(KILLS / 2);
  await project.result(["redeliver", "1"]);
  await project.result(["previews", "--remove", "live", "--yes"]);
}, 3_600_000); // prettier-ignore

test("a preview that is killed while it is made or removed leaves production whole; the same call ends what it began", async () => {
  const production = await readAll("");
  const make = (name: string): string[] => ["deliver", "--preview", name, "--no-color"];
  const remove = (name: string): string[] => ["previews", "--remove", name, "--yes"];
  const count = async (call: readonly string[]): Promise<number> => {
    const before = sandbox.countRequests();
    expect((await project.run(call)).exit).toBe(0);
    return sandbox.countRequests() - before;
  };
  const making = await count(make("whole"));
  const expected = await readAll("previews/whole/");
  const removing = await count(remove("whole"));
  let killed = 0;
  for (let number = 0; number < KILLS; number++) {
    const name = `n${number}`;
    killed += Number(await killAfter(mortal, make(name), 1 + Math.floor((number * making) / KILLS), sandbox));
    const store = openStore(sandbox, `previews/${name}/`);
    expect([number, findBroken(await readSite(store))]).toEqual([number, []]);
    expect([number, await readAll("")]).toEqual([number, production]);
    const again = await project.run([...make(name), "--format", "json"]);
    expect([number, again.exit, again.exit === 0 ? "" : again.stdout]).toEqual([number, 0, ""]);
    expect([number, await readAll(`previews/${name}/`)]).toEqual([number, expected]);

    killed += Number(await killAfter(mortal, remove(name), 1 + Math.floor((number * removing) / KILLS), sandbox));
    expect([number, await readAll("")]).toEqual([number, production]);
    if ((await listKeys(store)).length > 0) {
      const gone = await project.run(remove(name));
      expect([number, gone.exit, gone.exit === 0 ? "" : gone.stderr]).toEqual([number, 0, ""]);
    }
    expect([number, await listKeys(store)]).toEqual([number, []]);
    store.close();
  }
  // Some runs end just before their kill; most must not.
  expect(killed).toBeGreaterThan(KILLS);
  expect((await project.result(["compare", "--build", `${BUILDS}/1`])).changes).toEqual([]);
}, 3_600_000); // prettier-ignore
