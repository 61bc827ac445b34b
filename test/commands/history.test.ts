import { readFileSync, statSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder, walk, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { RunningSandbox, WRITES } from "../support/program.ts";
import { openStore, readSite } from "../support/stored-site.ts";
import { readResult, type ResultOf } from "../support/results.ts";
import { makeSmallSite } from "../support/small-site.ts";
import type { ResultKind } from "../../src/results/kinds.ts";

const BUILDS = makeSmallSite();
let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

const json = async <Kind extends ResultKind>(
  project: ProjectHere,
  kind: Kind,
  args: readonly string[],
): Promise<ResultOf<Kind>> => {
  const { exit, stdout, stderr } = await project.run([...args, "--format", "json"]);
  expect([args, exit, exit === 0 ? "" : stdout + stderr]).toEqual([args, 0, ""]);
  return readResult(kind, stdout);
};
const siteAt = async (prefix: string): Promise<unknown[][]> =>
  [...(await readSite(openStore(sandbox, prefix)))].map(([key, { hash, headers }]) => [key, hash, headers]);

test("what was delivered can be listed, looked at, compared and put back; each result has its documented shape", async () => {
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, "", "history/"), sandbox.facts);
  expect((await project.run(["releases"])).exit).toBe(2);
  await project.result(["deliver", "--note", "first", "--sequence", "41"]);
  const first = await siteAt("history/");
  await project.result(["deliver", "--build", `${BUILDS}/2`, "--commit", "1f2e3d4c5b6a"]);

  const list = await json(project, "releases", ["releases"]);
  expect(list.releases).toMatchObject([
    { release: 2, isCurrent: true, commit: "1f2e3d4c5b6a" },
    { release: 1, isCurrent: false, note: "first", sequence: 41 },
  ]);
  const one = await json(project, "release", ["releases", "previous"]);
  expect([one.release, one.parcels.length]).toEqual([1, first.length]);
  const two = await json(project, "comparison", ["compare", "1", "current"]);
  expect(two).toEqual(await json(project, "comparison", ["releases", "1", "2"]));
  expect([two.counts.new, two.counts.removed, two.counts.replaced]).toEqual([2, 2, 9]);
  expect((await project.run(["compare", "1", "2", "--fail-on-change"])).exit).toBe(4);
  expect((await project.run(["compare", "1", "1", "--fail-on-change"])).exit).toBe(0);
  expect(await json(project, "hold", ["releases", "hold"])).toMatchObject({ isHeld: false, hold: { work: "deliver" } });

  // A dry run writes nothing; the way back sends no byte of a file and ends with just what release 1 was.
  sandbox.takeLedger();
  await project.result(["redeliver", "previous", "--dry-run"]);
  expect(sandbox.takeLedger().filter(({ operation }) => WRITES.has(operation))).toEqual([]);
  expect(await project.result(["redeliver", "previous"])).toMatchObject({ release: 3, bytes: { sent: 0 } });
  const sent = sandbox.takeLedger().filter(({ operation, key = "" }) => operation === "PutObject" && !key.includes("/.courier/"));
  expect(sent).toEqual([]);
  const back = await siteAt("history/");
  expect(first.filter((object) => !back.some((other) => JSON.stringify(other) === JSON.stringify(object)))).toEqual([]);
  expect((await project.run(["redeliver", "7"])).exit).toBe(2);
  expect((await project.run(["redeliver"])).exit).toBe(2);
}); // prettier-ignore

test("prune: says what would go, asks about what can't come back, and exits 3 where nobody can be asked", async () => {
  const settings = sandbox.settings(`${BUILDS}/1`, "    retain: { releases: 1, for: 1s }", "prune/");
  const project = new ProjectHere(settings, sandbox.facts);
  await project.result(["deliver"]);
  await project.result(["deliver", "--build", `${BUILDS}/2`]);
  await new Promise((done) => setTimeout(done, 2100));
  const planned = await json(project, "prune", ["prune", "--dry-run"]);
  expect(new Set(planned.removed.map(({ why }) => why))).toEqual(new Set(["stale", "content", "record"]));
  expect(planned.retained).toEqual([2]);
  const text = await project.run(["prune"]);
  expect([text.exit, text.stdout]).toEqual([0, expect.stringContaining("You can put back 1 release: 2.")]);
  expect((await json(project, "prune", ["prune"])).removed).toEqual([]);
  const refused = await project.run(["prune", "--forget", "/downloads/fares.csv"]);
  expect([refused.exit, refused.stderr]).toEqual([3, expect.stringContaining("there is nobody to ask")]);
  const gone = await json(project, "prune", ["prune", "--forget", "/downloads/fares.csv", "--yes"]);
  expect(gone.removed).toEqual([{ key: "downloads/fares.csv", why: "forgotten", size: 29 }]);
  const again = await project.run(["deliver", "--build", `${BUILDS}/2`]);
  expect([again.exit, again.stderr]).toEqual([3, expect.stringContaining("(forgotten)")]);
});

test("objects of others under names of the build: exit 3 until somebody says yes, then release 0 keeps them", async () => {
  const store = openStore(sandbox, "theirs/");
  const bytes = Buffer.from("<p>theirs");
  const { createHash } = await import("node:crypto");
  const content = { size: bytes.length, hash: createHash("sha256").update(bytes).digest("hex"), open: () => bytes };
  await store.put("index.html", content, { "content-type": "text/html" });
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, "", "theirs/"), sandbox.facts);
  const asked = await project.run(["deliver"]);
  expect([asked.exit, asked.stderr]).toEqual([3, expect.stringMatching(/written over: index\.html[^]*--yes/)]);
  await project.result(["deliver", "--yes"]);
  await project.result(["redeliver", "0"]);
  expect((await readSite(store)).get("index.html")).toMatchObject({ text: "<p>theirs", headers: '{"content-type":"text/html"}' });
}); // prettier-ignore

test("a pointer that is gone: exit 1 and how to mend it; repaired, the next delivery goes on", async () => {
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, "", "lost/"), sandbox.facts);
  await project.result(["deliver"]);
  await openStore(sandbox, "lost/").remove([".courier/current.json"]);
  const lost = await project.run(["deliver"]);
  expect([lost.exit, lost.stderr]).toEqual([1, expect.stringContaining("releases --repair")]);
  expect((await project.run(["releases", "--repair"])).exit).toBe(3);
  const repaired = await json(project, "releases", ["releases", "--repair", "--yes"]);
  expect(repaired.releases.map(({ release }) => release)).toEqual([1]);
  expect(await project.result(["deliver"])).toMatchObject({ release: 1, changes: [] });
});

test("a folder as the store: whole files, nothing written twice, the way back, and a missing mount is said", async () => {
  const root = temporaryFolder("web-root");
  const settings = (folder: string): string =>
    `site: Pelican Sound Ferries\nbuild: { folder: ${BUILDS}/1 }\ndestinations:\n  root: { store: { kind: folder, folder: ${folder} } }\n`;
  const project = new ProjectHere(settings(root), sandbox.facts);
  await project.result(["deliver"]);
  const own = (): string[] => walk(root).filter((path) => !path.startsWith(".courier"));
  expect(own()).toEqual(walk(`${BUILDS}/1`));
  const before = statSync(join(root, "index.html"));
  expect(await project.result(["deliver"])).toMatchObject({ release: 1, changes: [] });
  expect(statSync(join(root, "index.html")).ino).toBe(before.ino);
  const second = await project.result(["deliver", "--build", `${BUILDS}/2`]);
  expect(second.counts).toMatchObject({ new: 2, replaced: 9 });
  for (const path of walk(`${BUILDS}/2`))
    expect([path, readFileSync(join(root, path)).equals(readFileSync(join(BUILDS, "2", path)))]).toEqual([
      path,
      true,
    ]);
  expect((await project.result(["redeliver", "1"])).bytes.sent).toBe(0);
  expect(readFileSync(join(root, "index.html"))).toEqual(readFileSync(`${BUILDS}/1/index.html`));
  const missing = new ProjectHere(settings(join(root, "not-mounted")), sandbox.facts);
  const refused = await missing.run(["deliver"]);
  expect([refused.exit, refused.stderr]).toEqual([
    1,
    expect.stringMatching(/there is no folder \S+not-mounted$/m),
  ]);
  const { exit, stdout } = await missing.run(["checkup", "--format", "json"]);
  expect([exit, JSON.parse(stdout).links]).toEqual([1, expect.arrayContaining([expect.objectContaining({ link: "bucket", cause: "no-folder" })])]); // prettier-ignore
});

test("prune --forget knows a file by its address: with the base path, percent-encoded, or as a folder", async () => {
  const build = temporaryFolder("addresses");
  writeFiles(build, { "index.html": "<p>entry", "news/index.html": "<p>news", "menu/café crew.txt": "soup" });
  const settings = sandbox.settings(build, "    url: http://127.0.0.1:1/line/", "addresses/");
  const project = new ProjectHere(settings, sandbox.facts);
  await project.result(["deliver"]);
  for (const [name, key] of [
    ["/line/news/", "news/index.html"],
    ["/line/news", "news/index.html"],
    ["/line/menu/caf%C3%A9%20crew.txt", "menu/café crew.txt"],
    ["menu/café crew.txt", "menu/café crew.txt"],
  ] as const) {
    const planned = await json(project, "prune", ["prune", "--forget", name, "--dry-run"]);
    expect([name, planned.removed.map((object) => object.key)]).toEqual([
      name,
      expect.arrayContaining([key]),
    ]);
  }
  for (const name of ["/news/", "/line/menu/%E0%A4%A"])
    expect((await project.run(["prune", "--forget", name, "--dry-run"])).exit).toBe(2);
});
