import { readFileSync } from "node:fs";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { encodeKey } from "../../src/core/addresses/addresses.ts";
import type { DeliveryResult } from "../../src/results/delivery.ts";
import { temporaryFolder, walk, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox, useSandboxes, type Outcome } from "../support/program.ts";
import { visitNode } from "../support/web-root.ts";

/** A small site in which everything has changed. */
const PATHS = [
  "index.html",
  "about.html",
  "news/index.html",
  "fares/index.html",
  "app.css",
  "feed.xml",
  "sw.js",
];
const writeBuild = (text: string): string =>
  writeFiles(temporaryFolder(`build-${text}`), {
    ...Object.fromEntries(PATHS.map((path) => [path, `/* ${path} ${text} */`])),
    "timetables/latest.json": JSON.stringify(text),
  });
const [V1, V2] = [writeBuild("one"), writeBuild("two")];
const CHANGED = walk(V2);

const startSandbox = useSandboxes("--origin", "website");

const withFaults = (rules: string): string[] => [
  "--faults",
  join(writeFiles(temporaryFolder("faults"), { "faults.yaml": `rules: [${rules}]` }), "faults.yaml"),
];
const purge = ({ facts }: RunningSandbox, more = ""): string =>
  `{ kind: purge, nodes: ${JSON.stringify(facts.pops)}, token: ${facts.purgeToken}, query: ignored${more} }`;
const distribution = ({ facts }: RunningSandbox, more = ""): string =>
  `{ kind: distribution, id: ${facts.distribution}, endpoint: "${facts.edgeApi}", query: ignored${more} }`;
const toProject = (sandbox: RunningSandbox, edge: string, build = V1): ProjectHere =>
  new ProjectHere(
    sandbox.settings(build, `    url: ${sandbox.facts.edge}\n    edge: ${edge}`),
    sandbox.facts,
  );
const parse = ({ stdout }: Outcome): DeliveryResult => JSON.parse(stdout) as DeliveryResult;

/** Six that the tool's list has, and two that it has not. */
const FORMS = ["gzip, deflate, br, zstd", "gzip, deflate, br", "gzip, deflate", "gzip", "br", "", "compress", "gzip, br;q=0.4"]; // prettier-ignore

/** What is not as the second build has it, in any form. */
async function findOld(
  { facts }: RunningSandbox,
  forms: readonly string[],
  paths = CHANGED,
): Promise<string[]> {
  const { host } = new URL(facts.edge);
  const old: string[] = [];
  for (const encoding of forms)
    for (const path of paths) {
      const { content } = await visitNode(facts.edge, `/${encodeKey(path)}`, { host, encoding });
      if (content !== readFileSync(join(V2, path), "latin1")) old.push(`${path} [${encoding}]`);
    }
  return old;
}

const SAID = `, encodings: ${JSON.stringify(FORMS)}`;
test.each<[string, string[], string, number]>([
  ["keeps one copy for all", [], "", 0],
  ["keeps a copy for each form", ["copy-per-encoding"], "", 5],
  ["keeps a copy for each form, all of which are said", ["copy-per-encoding"], SAID, 0],
  ["finds all copies through the first", ["copies-behind-base"], "", 5],
  ["finds all copies through the first, and all forms are said", ["copies-behind-base"], SAID, 0],
  ["finds all copies through a marker", ["copies-behind-marker"], "", 5],
  ["finds all copies through a marker, and all forms are said", ["copies-behind-marker"], SAID, 0],
])("an edge that %s, warm in eight forms: never old and confirmed", async (_, traits, more, exit) => {
  const sandbox = await startSandbox(...traits.flatMap((trait) => ["--trait", trait]));
  const project = toProject(sandbox, purge(sandbox, `, ${AT_ONCE}${more}`));
  await project.run(["deliver"]);
  expect((await findOld(sandbox, FORMS)).length).toBe(CHANGED.length * FORMS.length);
  const outcome = await project.run(["deliver", "--build", V2, "--format", "json"]);
  const { invalidation } = parse(outcome);
  const old = await findOld(sandbox, FORMS);
  expect([outcome.exit, invalidation.confirmed]).toEqual([exit, exit === 0]);
  if (exit === 0) expect(old).toEqual([]);
  // What may still be old is owed, and nothing else than what nobody has listed is old.
  else {
    for (const path of CHANGED) expect(invalidation.owed).toContain(`/${encodeKey(path)}`);
    // Once, though new assets and pages are asked for in rounds of their own.
    expect(outcome.stderr.split("keeps a copy for each Accept-Encoding that anybody sends")).toHaveLength(2);
    const written = CHANGED.filter((path) => !parse(outcome).heldBack.includes(path));
    expect(await findOld(sandbox, FORMS.slice(0, 6), written)).toEqual([]);
    // By hand it says the same, again and again.
    const again = await project.run(["invalidate", "--owed", "--format", "json"]);
    expect([again.exit, parse(again).invalidation.confirmed]).toEqual([5, false]);
  }
}); // prettier-ignore

test.each([
  // The trap is real: where somebody says that no fetch takes time, the old page comes home afterwards.
  ["distribution", "0s", false],
  ["distribution", "3s", true],
  ["purge", "3s", true],
] as const)("a fetch of seconds that began before the delivery, at an edge of kind %s, longestFetch: %s: all new is %s", async (kind, longest, isNew) => {
  // The trap's fetch ends long after its delivery, however slow the machine.
  const ms = isNew ? 2000 : 15_000;
  const sandbox = await startSandbox(...withFaults(`{ fault: latency, at: origin, ms: ${ms}, keys: about.html, times: 1 }`));
  const { host } = new URL(sandbox.facts.edge);
  const visit = () => visitNode(sandbox.facts.edge, "/about.html", { host });
  const edge = (more: string): string => (kind === "distribution" ? distribution(sandbox, more) : purge(sandbox, more));
  await toProject(sandbox, edge(", confirm: off")).result(["deliver"]);
  const late = visit();
  await sleep(300);
  const { exit } = await toProject(sandbox, edge(`, settle: 0s, longestFetch: ${longest}`), V2).run(["deliver"]);
  await late;
  const { content } = await visit();
  expect([exit, content === readFileSync(join(V2, "about.html"), "latin1")]).toEqual([0, isNew]);
}); // prettier-ignore

test("a lost invalidation at a distribution is asked for again; where all are lost everything stays owed", async () => {
  const twice = await startSandbox(...withFaults("{ fault: lost-invalidation, at: edge-api, after: 6, times: 2 }"));
  const project = toProject(twice, distribution(twice, `, ${AT_ONCE}`));
  await project.result(["deliver"]);
  await findOld(twice, FORMS);
  await project.result(["deliver", "--build", V2]);
  expect(await findOld(twice, FORMS)).toEqual([]);

  const all = await startSandbox(...withFaults("{ fault: lost-invalidation, at: edge-api }"));
  const lossy = toProject(all, distribution(all, `, ${AT_ONCE}`));
  await lossy.result(["deliver"]);
  await findOld(all, FORMS);
  const outcome = await lossy.run(["deliver", "--build", V2, "--format", "json"]);
  expect([outcome.exit, outcome.stderr]).toEqual([5, expect.stringContaining("it still has the old copy of /")]);
  for (const path of CHANGED.filter((one) => !parse(outcome).heldBack.includes(one)))
    expect(parse(outcome).invalidation.owed).toContain(`/${encodeKey(path)}`);
  // The next call has something to do.
  expect((await lossy.run(["deliver", "--build", V2])).exit).toBe(5);
}); // prettier-ignore

test("a store that can't be asked confirms nothing", async () => {
  const sandbox = await startSandbox(...withFaults('{ fault: server-error, at: origin, keys: "about.html" }'));
  const project = toProject(sandbox, purge(sandbox, `, ${AT_ONCE}`));
  const outcome = await project.run(["deliver", "--format", "json"]);
  expect([outcome.exit, outcome.stderr]).toEqual([5, expect.stringContaining("it can't be read back: /about.html")]);
  expect(parse(outcome).invalidation).toMatchObject({ confirmed: false, owed: ["/about.html", "/sw.js", "/timetables/latest.json"] });
  const byHand = await project.run(["invalidate", "/about.html"]);
  expect([byHand.exit, byHand.stdout]).toEqual([5, expect.stringContaining("the edge has NOT confirmed yet")]);
}); // prettier-ignore

test("what waits for a confirmation is counted as held back, by every command", async () => {
  const sandbox = await startSandbox();
  const project = toProject(sandbox, purge(sandbox, `, ${AT_ONCE}`));
  await project.result(["deliver"]);
  const settings = readFileSync(join(project.folder, "courier.yaml"), "utf8");
  writeFiles(project.folder, { "courier.yaml": settings.replace(sandbox.facts.purgeToken, "wrong") });
  const result = parse(await project.run(["deliver", "--build", V2, "--format", "json"]));
  expect(result.heldBack).toEqual(["sw.js", "timetables/latest.json"]);
  expect(result.changes.map(({ key }) => key)).not.toEqual(expect.arrayContaining(["sw.js"]));
  const text = await project.run(["releases"]);
  expect(text.stdout).toContain("These files wait until the edge has confirmed: sw.js, timetables/latest.json");
  expect((await project.run(["releases", "2", "--all"])).stdout).toMatch(/sw\.js .*waits until the edge has confirmed/);
  // The edge still holds old pages; of what was never written nobody says that somebody removed it.
  const verified = await project.run(["verify", "--format", "json"]);
  expect(verified.stdout).toContain('"heldBack":["sw.js","timetables/latest.json"]');
  expect(verified.stdout).not.toContain('"address":"/sw.js"');
  writeFiles(project.folder, { "courier.yaml": settings });
  expect(await project.result(["deliver", "--build", V2])).toMatchObject({ release: 2, heldBack: [] });
  expect((await project.run(["releases"])).stdout).not.toContain("wait until");
}); // prettier-ignore

test("a debt stays with the edge that it is of; one of an edge that is gone ends with 5, and is struck when somebody says so", async () => {
  const sandbox = await startSandbox();
  const good = purge(sandbox, `, ${AT_ONCE}`);
  const bad = good.replace(sandbox.facts.purgeToken, "wrong");
  const project = toProject(sandbox, good);
  await project.result(["deliver"]);
  await findOld(sandbox, FORMS);
  const use = (edge: string): void => {
    const settings = sandbox.settings(V2, `    url: ${sandbox.facts.edge}\n    edge: ${edge}`);
    writeFiles(project.folder, { "courier.yaml": settings });
  };
  use(bad);
  expect((await project.run(["deliver"])).exit).toBe(5);
  const owing = await project.run(["releases", "--format", "json"]);
  const [debt] = (JSON.parse(owing.stdout) as { owed: { edge: string; addresses: string[] }[] }).owed;
  expect(debt).toMatchObject({ edge: `purge ${sandbox.facts.edge}`, addresses: expect.arrayContaining(["/about.html"]) });

  // A second one renames the first, and changes nothing of what it is.
  use(`[${good}, ${distribution(sandbox, `, ${AT_ONCE}`)}]`);
  await project.result(["deliver"]);
  expect(await findOld(sandbox, FORMS)).toEqual([]);

  use(`{ kind: purge, nodes: ["http://127.0.0.1:9"], ${AT_ONCE}, query: ignored }`);
  expect((await project.run(["invalidate", "/about.html"])).exit).toBe(5);
  const settings = sandbox.settings(V1, `    url: ${sandbox.facts.edge}\n    edge: { kind: purge, nodes: ["http://127.0.0.1:9"], query: ignored, ${AT_ONCE} }`);
  writeFiles(project.folder, { "courier.yaml": settings });
  expect((await project.run(["deliver"])).exit).toBe(5);
  use(good);
  const orphaned = await project.run(["invalidate", "--owed"]);
  expect([orphaned.exit, orphaned.stderr]).toEqual([5, expect.stringContaining('rcourier invalidate --gone "purge http://127.0.0.1:9"')]);
  expect((await project.run(["invalidate", "--gone", "purge http://10.0.0.1:9", "--yes"])).exit).toBe(2);
  expect((await project.run(["invalidate", "--gone", "purge http://127.0.0.1:9"])).exit).toBe(3);
  expect((await project.run(["invalidate", "--gone", "purge http://127.0.0.1:9", "--yes"])).exit).toBe(0);
  expect((await project.run(["invalidate", "--owed"])).exit).toBe(0);
}); // prettier-ignore

test("links that leave a bracket as it is find the new page at a distribution, too", async () => {
  const sandbox = await startSandbox();
  const folder = writeFiles(temporaryFolder("spelling"), { "index.html": "<p>home", "docs/[id].html": "<p>one" });
  const project = toProject(sandbox, distribution(sandbox, `, ${AT_ONCE}`), folder);
  await project.result(["deliver"]);
  const { host } = new URL(sandbox.facts.edge);
  const read = async (address: string) => (await visitNode(sandbox.facts.edge, address, { host })).content;
  const spellings = ["/docs/[id].html", "/docs/%5Bid%5D.html"];
  expect([await read(spellings[0] as string), await read(spellings[1] as string)]).toEqual(["<p>one", "<p>one"]);
  writeFiles(folder, { "docs/[id].html": "<p>two" });
  await project.result(["deliver"]);
  expect([await read(spellings[0] as string), await read(spellings[1] as string)]).toEqual(["<p>two", "<p>two"]);
}); // prettier-ignore
