import { readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { ProjectHere } from "../support/called-here.ts";
import { RunningSandbox } from "../support/program.ts";

const BUILDS = resolve("demo/builds");

let sandbox: RunningSandbox;
beforeEach(async () => {
  sandbox = await RunningSandbox.start();
});
afterEach(() => sandbox.stop());

const COMMANDS = { CI: "true", GITHUB_ACTIONS: "true", GITHUB_STEP_SUMMARY: "summary.md", GITHUB_RUN_NUMBER: "12", GITHUB_SHA: "0a1b2c3d", GITHUB_ACTOR: "harbour-master" }; // prettier-ignore
const SECTIONS = { CI: "true", GITLAB_CI: "true", CI_PIPELINE_IID: "13", CI_COMMIT_SHA: "4e5f6a7b" };

test("in CI: folds, problems beside the run, a summary, the run's number and commit; nobody is asked", async () => {
  const settings = sandbox.settings(`${BUILDS}/1`, "    ask: true");
  const project = new ProjectHere(settings, sandbox.facts);
  const asked = await project.run(["deliver"], COMMANDS);
  expect([asked.exit, asked.stderr]).toEqual([3, expect.stringMatching(/^::error title=Restless Courier::.*there is nobody to ask[^\n]*%0A/m)]); // prettier-ignore
  const first = await project.run(["deliver", "--yes"], COMMANDS);
  expect([first.exit, first.stdout]).toEqual([0, expect.stringContaining("release 1")]);
  // Each fold is closed before the next one opens, and holds the steps of its phase.
  const folds = first.stderr.split("\n").filter((line) => line.startsWith("::"));
  expect(folds.filter((_, index) => index % 2 === 0).every((line) => line.startsWith("::group::"))).toBe(
    true,
  );
  expect(folds.filter((_, index) => index % 2 === 1).every((line) => line === "::endgroup::")).toBe(true);
  expect(first.stderr).toMatch(/::group::writing pages, file by file\n {2}send \S+\n/);
  const summary = readFileSync(join(project.folder, "summary.md"), "utf8");
  expect(summary).toMatch(/### failed: [^]*### Pelican Sound Ferries → practice\n\nrelease 1 is delivered[^]*\| sent \| 58 \|[^]*- new `404\.html`/); // prettier-ignore
  // An older run, started again: its number gives it away.
  const older = await project.run(["deliver", "--yes", "--build", `${BUILDS}/2`], { ...COMMANDS, GITHUB_RUN_NUMBER: "11" }); // prettier-ignore
  expect([older.exit, older.stderr]).toEqual([3, expect.stringContaining("build 11 is older than build 12")]);
  const { stdout } = await project.run(["releases", "1", "--format", "json"]);
  expect(JSON.parse(stdout)).toMatchObject({ sequence: 12, commit: "0a1b2c3d", by: "harbour-master" });
});

test("problems of a build are shown at their places", async () => {
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/3`), sandbox.facts);
  for (const call of [["survey"], ["deliver"], ["compare"]]) {
    const { stderr } = await project.run(call, COMMANDS);
    // Once each, and no refusal as a whole besides.
    expect(stderr.match(/^::error /gm)).toHaveLength(1);
    expect(stderr).toMatch(/^::error file=\S+demo\/builds\/3\/\S+\.html,line=\d+,title=Restless Courier::/m);
  }
  // Delivered as events, a refusal names everything that it found.
  const events = (await project.run(["deliver", "--format", "ndjson"])).stdout.split("\n");
  const refused = events.find((line) => line.startsWith('{"event":"refused"')) ?? "{}";
  expect(JSON.parse(refused)).toMatchObject({
    problems: expect.arrayContaining([
      expect.objectContaining({ severity: "error", line: expect.any(Number) }),
    ]),
  });
  // Where nothing is shown on the way, the refusal as a whole is shown beside the run.
  for (const form of [["--quiet"], ["--format", "ndjson"]])
    expect(
      (await project.run(["deliver", ...form], COMMANDS)).stderr.match(/^::error .*refused by/gm),
    ).toHaveLength(1);
  expect((await project.run(["survey"])).stderr).toBe("");
});

test("another service's sections, and none at all where no service is known", async () => {
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  const sections = await project.run(["deliver"], SECTIONS);
  const marks = [...sections.stderr.matchAll(/section_(start|end):\d+:courier_(\d+)/g)].map(([, kind, number]) => `${kind} ${number}`); // prettier-ignore
  expect(marks.length).toBeGreaterThan(4);
  expect(marks).toEqual(Array.from({ length: marks.length / 2 }, (_, index) => [`start ${index + 1}`, `end ${index + 1}`]).flat()); // prettier-ignore
  const plain = await project.run(["deliver", "--build", `${BUILDS}/2`, "--summary", "own.md"], {
    CI: "true",
  });
  expect(plain.stderr).not.toMatch(/section_|::|\u001b/);
  expect(readFileSync(join(project.folder, "own.md"), "utf8")).toContain("release 2");
});
