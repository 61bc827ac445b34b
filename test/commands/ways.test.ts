import { readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox } from "../support/program.ts";
import { openStore } from "../support/stored-site.ts";

/** What commands do besides their usual: forms of results, who is asked, and a newcomer's first steps. */

const BUILDS = resolve("demo/builds");
let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start(["--origin", "website"]);
});
afterAll(() => sandbox.stop());

const project = (prefix: string, more = "", build = `${BUILDS}/1`): ProjectHere =>
  new ProjectHere(sandbox.settings(build, more, prefix), sandbox.facts);
const atEdge = (): string =>
  `    url: ${sandbox.facts.edge}\n    edge: { kind: purge, nodes: ${JSON.stringify(sandbox.facts.pops)}, token: ${sandbox.facts.purgeToken}, query: ignored, ${AT_ONCE} }`;

test("events come line by line, each of JSON; a verification comes as JUnit XML", async () => {
  const told = project("", atEdge());
  const { exit, stdout } = await told.run(["deliver", "--format", "ndjson"]);
  const events = stdout.trim().split("\n").map((line) => JSON.parse(line) as { event: string }); // prettier-ignore
  expect([exit, events.length > 5, events.at(-1)?.event]).toEqual([0, true, "done"]);
  const store = openStore(sandbox, "");
  await store.remove(["about.html"]);
  store.close();
  const junit = await told.run(["verify", "--format", "junit"]);
  expect([junit.exit, junit.stdout]).toEqual([
    5,
    expect.stringMatching(/^<\?xml[^]*<testsuite [^]*<failure /),
  ]);
});

test("who clears, forgets and ends holds is asked first, and told what can't come back where nobody can be asked", async () => {
  const cleared = project("asked/", "    retain: { releases: 1, for: 1s }");
  for (const number of [1, 2]) await cleared.result(["deliver", "--build", `${BUILDS}/${number}`]);
  for (const call of [["prune", "--forget", "robots.txt"], ["releases", "--end-hold"], ["invalidate", "--everything"]]) {
    const { exit, stderr } = await cleared.run(call);
    expect([call, exit, stderr]).toEqual([call, expect.any(Number), expect.stringMatching(/^failed: /m)]);
  }
  const forgotten = await cleared.run(["prune", "--forget", "robots.txt", "--yes"]);
  expect([forgotten.exit, forgotten.stdout]).toEqual([0, expect.stringContaining("robots.txt")]);
}); // prettier-ignore

test("setup --sandbox, the sandbox's settings and what they need", async () => {
  const fresh = project("fresh/");
  writeFiles(fresh.folder, { "package.json": '{"name":"ferries","scripts":{"build":"x"}}', "dist/index.html": "<p>" });
  const made = await fresh.run(["setup", "--sandbox", "--settings", "made.yaml"]);
  expect([made.exit, readFileSync(join(fresh.folder, "made.yaml"), "utf8")]).toEqual([0, expect.stringContaining("practice:")]);
  const again = await fresh.run(["setup", "--sandbox", "--settings", "made.yaml"]);
  expect([again.exit, again.stdout]).toEqual([0, expect.stringContaining("already: nothing to add")]);
}); // prettier-ignore
