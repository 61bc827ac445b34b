import { readFileSync } from "node:fs";
import { join } from "node:path";
import { writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox } from "../support/program.ts";
import { openStore } from "../support/stored-site.ts";
import { makeSmallSite } from "../support/small-site.ts";
import { printedSchemaOf } from "../../src/results/catalogue.ts";
import { eventSchema } from "../../src/results/events.ts";

/** What commands do besides their usual: other forms of results, and a newcomer's first step. */

const BUILDS = makeSmallSite();
let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start(["--origin", "website"]);
});
afterAll(() => sandbox.stop());

const project = (prefix: string, more = ""): ProjectHere =>
  new ProjectHere(sandbox.settings(`${BUILDS}/1`, more, prefix), sandbox.facts);
const atEdge = (): string =>
  `    url: ${sandbox.facts.edge}\n    edge: { kind: purge, nodes: ${JSON.stringify(sandbox.facts.pops)}, token: ${sandbox.facts.purgeToken}, query: ignored, ${AT_ONCE} }`;

test("events come line by line, each as its schema says; a verification comes as JUnit XML", async () => {
  const told = project("", atEdge());
  const { exit, stdout } = await told.run(["deliver", "--format", "ndjson"]);
  const events = stdout.trim().split("\n").map((line) => eventSchema.parse(JSON.parse(line))); // prettier-ignore
  expect([exit, events.length > 5]).toEqual([0, true]);
  const last = events.at(-1);
  expect(last).toMatchObject({ event: "done", result: { kind: "delivery", version: 1, release: 1 } });
  printedSchemaOf("delivery").parse(last && "result" in last ? last.result : undefined);
  const store = openStore(sandbox, "");
  await store.remove(["about.html"]);
  store.close();
  const junit = await told.run(["verify", "--format", "junit"]);
  expect([junit.exit, junit.stdout]).toEqual([
    5,
    expect.stringMatching(/^<\?xml[^]*<testsuite [^]*<failure /),
  ]);
});

test("setup --sandbox writes a destination to practise on, and says so when it is there already", async () => {
  const fresh = project("fresh/");
  writeFiles(fresh.folder, { "package.json": '{"name":"ferries","scripts":{"build":"x"}}', "dist/index.html": "<p>" });
  const made = await fresh.run(["setup", "--sandbox", "--settings", "made.yaml"]);
  expect([made.exit, readFileSync(join(fresh.folder, "made.yaml"), "utf8")]).toEqual([0, expect.stringContaining("practice:")]);
  const again = await fresh.run(["setup", "--sandbox", "--settings", "made.yaml"]);
  expect([again.exit, again.stdout]).toEqual([0, expect.stringContaining("already has the destination practice; nothing was added")]);
}); // prettier-ignore
