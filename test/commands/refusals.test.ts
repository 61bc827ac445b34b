import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { NO_KEYS, RunningSandbox, WRITES } from "../support/program.ts";
import { readResult } from "../support/results.ts";

let sandbox: RunningSandbox;
let build: string;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
  build = writeFiles(temporaryFolder("build"), { "index.html": "<p>ferry</p>", "app.css": "p{}" });
});
afterAll(() => sandbox.stop());

const settings = (more = ""): string => sandbox.settings(build, more);

test.each<[string, (text: string) => string, string[], number, RegExp]>([
  ["a wrong bucket", (text) => text.replace("bucket: practice", "bucket: practise"), [], 1, /there is no bucket practise at http:\/\/127/],
  ["a store that is not running", (text) => text.replace(/127\.0\.0\.1:\d+/, "127.0.0.1:9"), [], 1, /the connection was refused[\s\S]*start it if it is down/],
  ["a missing build", (text) => text, ["--build", "nowhere"], 3, /there is no build at .*nowhere[\s\S]*build the site first/],
  ["an empty build", (text) => text, ["--build", "."], 3, /has no file to deliver/],
  ["a misspelt key", (text) => text.replace("endpoint:", "endpiont:"), [], 2, /courier\.yaml:5:\d+: destinations\.practice\.store: unknown key endpiont; did you mean endpoint\?/],
  ["a missing value", (text) => text.replace(/site: .*/, ""), [], 2, /courier\.yaml:\d+:1: site: site is missing/],
  ["a variable that is not set", (text) => text.replace("bucket: practice", 'bucket: "${FERRY_BUCKET}"'), [], 2, /courier\.yaml:5:\d+: the environment variable FERRY_BUCKET is not set/],
  ["a header that no object carries", (text) => `${text}headers: [{ files: "*", set: { X-Frame-Options: DENY } }]`, [], 2, /can't carry X-Frame-Options: say it in edge.headers of a distribution/],
  ["a destination that is not there", (text) => text, ["--to", "production"], 2, /no destination named production[\s\S]*practice/],
  ["an option that is not there", (text) => text, ["--dryrun"], 2, /did you mean --dry-run\?/],
  ["an option without its value", (text) => text, ["--to"], 2, /--to needs a value/],
  ["nobody to ask", (text) => text.replace("    store:", "    ask: true\n    store:"), [], 3, /there is nobody to ask; nothing was written[\s\S]*--yes/],
  ["something that comes later", (text) => text.replace("    store:", "    state: { bucket: records }\n    store:"), [], 2, /state: this version does not support a state part in a bucket of its own yet/],
])("%s: a clear message, the right exit code, nothing written", async (_, change, args, exit, message) => {
  const project = new ProjectHere(change(settings()), sandbox.facts);
  sandbox.takeLedger();
  const outcome = await project.run(["deliver", ...args]);
  expect(outcome.stderr).toMatch(message);
  expect(outcome.exit).toBe(exit);
  expect(outcome.stdout).toBe("");
  expect(sandbox.takeLedger().filter(({ operation, status }) => WRITES.has(operation) && status < 300)).toEqual([]);
}); // prettier-ignore

test("wrong and missing credentials exit 7, and no secret is shown", async () => {
  const wrong = await new ProjectHere(settings(), { ...sandbox.facts, secretAccessKey: "wrong-secret-value" }).run(["deliver", "--verbose"]);
  expect(wrong).toMatchObject({ exit: 7, stderr: expect.stringMatching(/does not accept these credentials \(SignatureDoesNotMatch\)/) as string });
  expect(wrong.stdout + wrong.stderr).not.toContain("wrong-secret-value");
  const missing = await new ProjectHere(settings(), { accessKeyId: "", secretAccessKey: "" }).run(["deliver"]);
  expect(missing).toMatchObject({ exit: 7, stderr: expect.stringMatching(/no credentials were found/) as string });
}); // prettier-ignore

test("as JSON an error keeps its form", async () => {
  const { stdout, exit } = await new ProjectHere(settings(), sandbox.facts).run(["deliver", "--build", "nowhere", "--format", "json"]);
  expect(exit).toBe(3);
  expect(readResult("error", stdout).error.code).toBe("no-build");
}); // prettier-ignore

test("mistakes of the settings are a list for machines, with their places; one that shows only with the build, too", async () => {
  const mistakesOf = async (text: string): Promise<unknown> => {
    const { stdout, exit } = await new ProjectHere(text, sandbox.facts).run(["deliver", "--format", "json"]);
    const { error } = readResult("error", stdout);
    expect([exit, error.code]).toEqual([2, "settings-invalid"]);
    return error.details.mistakes;
  };
  const line = (text: string, part: string): number =>
    text.split("\n").findIndex((one) => one.includes(part)) + 1;
  const misspelt = settings("freshnes: []\n");
  expect(await mistakesOf(misspelt)).toEqual([
    { file: "courier.yaml", line: line(misspelt, "freshnes"), column: 1, path: "", message: "unknown key freshnes; did you mean freshness?" },
  ]); // prettier-ignore
  const short = settings("freshness: [{ files: '*.html', browser: 300d }]\n");
  expect(await mistakesOf(short)).toEqual([
    {
      ...{ file: "courier.yaml", line: expect.any(Number), column: expect.any(Number) },
      path: "destinations.practice.retain.for",
      message: expect.stringMatching(
        /^is 14 d, but an edge or a browser may serve a page for 300 d: set it to 300d or more$/,
      ),
    },
  ]);
});

test("a folder with the site one level down, another site's bucket, vanishing pages: refused with a code that lifts it", async () => {
  const pages = Object.fromEntries(Array.from({ length: 20 }, (_, i) => [`news/${i}.html`, `<p>${i}</p>`]));
  const whole = writeFiles(temporaryFolder("whole"), {
    "site/index.html": "<p>a</p>",
    ...Object.fromEntries(Object.entries(pages).map(([key, text]) => [`site/${key}`, text])),
  });
  const part = writeFiles(temporaryFolder("part"), { "index.html": "<p>a</p>" });
  const project = new ProjectHere(sandbox.settings(join(whole, "site"), "", "guards"), sandbox.facts);
  expect(await project.run(["deliver", "--build", whole])).toMatchObject({
    exit: 3,
    stderr: expect.stringMatching(/one folder further down, in .*site\n.*say --build .*\/site \(wrong-folder\)/) as string,
  });
  await project.result(["deliver"]);
  const vanishing = await project.run(["deliver", "--build", part]);
  expect(vanishing).toMatchObject({ exit: 3, stderr: expect.stringMatching(/20 of 21 addresses would no longer answer[\s\S]*\(vanish\)/) as string });
  const other = new ProjectHere(sandbox.settings(part, "", "guards").replace("Pelican Sound Ferries", "Heron Bay Boats"), sandbox.facts);
  const both = await other.run(["deliver"]);
  expect(both.stderr).toMatch(/vanish[\s\S]*another site is delivered here: Pelican Sound Ferries[\s\S]*\(other-site\)/);
  expect((await other.run(["deliver", "--allow", "vanish", "--allow", "other-site"])).exit).toBe(0);
}); // prettier-ignore

test("a dry run and a comparison tell the same and write nothing; differences exit 4 when asked to", async () => {
  const project = new ProjectHere(sandbox.settings(build, "", "dry"), sandbox.facts);
  sandbox.takeLedger();
  const dry = await project.result(["deliver", "--dry-run"]);
  const compared = await project.result(["compare"]);
  expect({ ...dry, phases: [], requests: {} }).toEqual({ ...compared, phases: [], requests: {} });
  expect(sandbox.takeLedger().filter(({ operation }) => WRITES.has(operation))).toEqual([]);
  expect((await project.run(["compare", "--fail-on-change"])).exit).toBe(4);
  await project.result(["deliver"]);
  expect((await project.run(["compare", "--fail-on-change"])).exit).toBe(0);
});

test("options come from the environment too, and a misspelt one is said", async () => {
  const project = new ProjectHere(sandbox.settings(build, "", "env"), sandbox.facts);
  const outcome = await project.run(["deliver"], { COURIER_DRY_RUN: "1", COURIER_FORMAT: "json" });
  expect(JSON.parse(outcome.stdout)).toMatchObject({ dryRun: true });
  // A misspelt one may be meant to keep a run from writing: it stops those that write, and no others.
  const misspelt = { COURIER_DRYRUN: "1" };
  const said =
    "there is no option for the environment variable COURIER_DRYRUN; did you mean COURIER_DRY_RUN?";
  const stopped = await project.run(["deliver"], misspelt);
  expect(stopped).toMatchObject({
    exit: 2,
    stderr: expect.stringContaining(`nothing was done: ${said}`) as string,
  });
  const read = await project.run(["compare", "--quiet"], misspelt);
  expect(read).toMatchObject({ exit: 0, stderr: `warning: ${said}\n` });
});

test("the command is the first word that is neither an option nor an option's value", async () => {
  const build = writeFiles(temporaryFolder("words"), { "index.html": "<p>entry" });
  const project = new ProjectHere(
    `site: Pelican Sound Ferries\nbuild: { folder: ${JSON.stringify(build)} }\ndestinations:\n  prune: { store: { kind: folder, folder: shelf } }\n  deliver: { store: { kind: folder, folder: shelf } }\n`,
    NO_KEYS,
  );
  writeFiles(project.folder, { "shelf/.keep": "" });
  for (const args of [
    ["--to", "prune", "deliver"],
    ["--to=prune", "--dry-run", "deliver"],
    ["--dry-run", "--note", "prune", "--to", "deliver", "deliver"],
  ])
    expect([args, (await project.result(args)).release]).toEqual([args, 1]);
  const said = async (...args: string[]): Promise<string> => (await project.run(args)).stderr;
  expect(await said("--to", "deliver", "--colour")).toContain("there is no command");
  expect(await said("--colour", "deliver")).toContain("there is no option --colour");
  expect(await said("deliver", "--", "prune")).toContain("deliver takes no argument prune");
  expect((await project.run(["help", "deliver"])).stdout).toMatch(/^rcourier deliver \[options\]/);
});
