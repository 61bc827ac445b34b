import { createHash } from "node:crypto";
import { once } from "node:events";
import { appendFileSync, cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { gzipSync } from "node:zlib";
import { CreateBucketCommand, S3Client } from "@aws-sdk/client-s3";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { listBlocks, PAGES, toWords } from "../support/documents.ts";
import { callHere } from "../support/called-here.ts";
import { AT_ONCE, Project, RunningSandbox, type Outcome } from "../support/program.ts";
import { isSoak } from "../support/seeds.ts";
import { makeSite } from "../support/small-site.ts";
import { openStore } from "../support/stored-site.ts";
import { readResult } from "../support/results.ts";

/**
 * Every call that a page shows in a block is made, line by line as it stands: by day in this process where nothing but a
 * call stands there, else by a shell with the built program.
 */

const PROGRAM = resolve("dist/main.js");
const BUILDS = temporaryFolder("shown");
cpSync(makeSite(), BUILDS, { recursive: true });
// Pages name more than the small site has.
for (const number of [1, 2]) writeFiles(BUILDS, { [`${number}/fleet/avocet/index.html`]: "<p>The Avocet" });
/** They install or run the whole project: CI does that around this test, and package.test.ts installs the package. */
const ELSEWHERE = /^npm /;
/** One call and nothing that a shell would do. */
const PLAIN = /^rcourier [^|><;&$`\\]*$/;
/** What a person is asked, CI answers; free ports, so that tests meet nobody. */
const ANSWERS = { COURIER_YES: "1", COURIER_PORT: "0", COURIER_STORE_PORT: "0", COURIER_EDGE_PORT: "0" };

const LOG = `#Version: 1.0
#Fields: date time cs-method cs-uri-stem sc-status sc-bytes
2026-03-02 06:40:00 GET / 200 5120
2026-03-02 06:41:00 GET /crossings/cape-wrn/ 404 310
`;

/** A place in which lines are run one after another. */
class Shell {
  private folder: string;
  private sandbox: RunningSandbox | undefined;

  constructor(private readonly project: Project) {
    this.folder = project.folder;
    const tool = join(project.folder, "bin/rcourier");
    writeFiles(project.folder, { "bin/rcourier": `#!/bin/sh\nexec ${JSON.stringify(process.execPath)} ${JSON.stringify(PROGRAM)} "$@"\n` });
    this.path = `${join(tool, "..")}:${process.env.PATH ?? ""}`;
  }
  private readonly path: string;

  async run(line: string, environment: NodeJS.ProcessEnv = {}): Promise<string> {
    if (ELSEWHERE.test(line)) return "";
    const [, into] = /^cd (\S+)$/.exec(line) ?? [];
    if (into !== undefined) {
      this.folder = join(this.folder, into);
      return "";
    }
    if (line.startsWith("rcourier sandbox")) return this.start(line);
    const all = { ...ANSWERS, PATH: this.path, ...environment };
    if (line.startsWith("rcourier serve")) return this.serve(line, all);
    const outcome = PLAIN.test(line) && !isSoak
      ? await callHere(toWords(line), this.folder, { ...this.project.environment, ...all })
      : await this.runByShell(line, all);
    const { exit, stdout, stderr } = outcome;
    expect([line, exit, exit === 0 ? "" : stdout + stderr]).toEqual([line, 0, ""]);
    return stdout;
  }

  private runByShell(line: string, environment: NodeJS.ProcessEnv): Promise<Outcome> {
    const lines = `chmod +x ${this.path.split(":")[0] ?? ""}/rcourier; cd ${JSON.stringify(this.folder)}; ${line}`;
    return this.project.run([], environment, ["bash", "-e", "-o", "pipefail", "-c", lines]);
  }

  /** The sandbox as the page starts it, but on free ports: what the settings say of it is put right. */
  private async start(line: string): Promise<string> {
    this.stop();
    const words = toWords(line).slice(1).map((word) => (word.startsWith(".courier-sandbox") ? join(this.folder, word) : word));
    const data = words[words.indexOf("--data") + 1] ?? "";
    this.sandbox = await RunningSandbox.start(words.filter((word, at) => word !== "--data" && words[at - 1] !== "--data"), data);
    const { endpoint, edge, edgeApi } = this.sandbox.facts;
    const file = join(this.folder, "courier.yaml");
    const text = readFileSync(file, "utf8")
      .replace("http://127.0.0.1:8450", endpoint)
      .replace("http://127.0.0.1:8451", edgeApi)
      .replace("http://127.0.0.1:8460", edge);
    writeFileSync(file, text);
    return "";
  }

  /** A call that goes on until it is stopped: what it says first is read, then it is stopped. */
  private async serve(line: string, environment: NodeJS.ProcessEnv): Promise<string> {
    const words = toWords(line);
    const child = this.project.start(words, environment);
    const [said] = (await once(child.stdout as NodeJS.ReadableStream, "data")) as [Buffer];
    child.kill("SIGINT");
    await once(child, "exit");
    expect([line, String(said)]).toEqual([line, expect.stringMatching(/https?:\/\//)]);
    return String(said);
  }

  stop(): void {
    void this.sandbox?.stop();
    this.sandbox = undefined;
  }
} // prettier-ignore

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start(["--origin", "website"]);
  await putLogs();
  site = await newSite();
});
afterAll(() => sandbox.stop());

let site: Shell;
/** A project whose site has two releases, with logs of its visitors. */
async function newSite(): Promise<Shell> {
  const { edge, edgeApi, distribution } = sandbox.facts;
  const settings = sandbox
    .settings("dist", [
      `    url: ${edge}`,
      `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, minimumFreshness: 0s, ${AT_ONCE} }`,
      `    previews: { address: "${edge.replace("127.0.0.1", "{name}.preview.localhost")}" }`,
    ].join("\n")).replace('prefix: ""', "serves: website")
    .replace("  practice:", "  production:");
  const project = new Project(settings, sandbox.facts);
  cpSync(`${BUILDS}/1`, join(project.folder, "dist"), { recursive: true });
  appendFileSync(join(project.folder, "dist/about.html"), "<p>Spring fares");
  writeFiles(project.folder, { "ci/courier.yaml": settings, "logs/edge.log": LOG, "today.log": LOG });
  writeFileSync(join(project.folder, "old.log.gz"), gzipSync(LOG));
  mkdirSync(join(project.home, ".config/fish/completions"), { recursive: true });
  const shell = new Shell(project);
  for (const number of [1, 2]) await shell.run(`rcourier deliver --quiet --build ${BUILDS}/${number}`);
  return shell;
} // prettier-ignore

/** What must have happened before a line can be run. */
const BEFORE: Readonly<Record<string, readonly string[]>> = {
  "rcourier checkup": ["rcourier provision"],
  "rcourier releases 7 --report": [2, 1, 2, 1].map((number) => `rcourier deliver --quiet --build ${BUILDS}/${number}`),
  "rcourier redeliver preview/": [1, 2].map((number) => `rcourier deliver --quiet --preview spring-fares --build ${BUILDS}/${number}`),
}; // prettier-ignore
const environmentOf = (line: string): NodeJS.ProcessEnv => ({
  ...(/--preview +(#|$)/.test(line) && { GITHUB_ACTIONS: "true", GITHUB_REF_NAME: "spring-fares" }),
});

const linesOf = (page: string): readonly string[] =>
  listBlocks(page)
    .filter(({ language, text }) => language === "sh" && !text.startsWith("#!"))
    .flatMap(({ text }) => text.split("\n"))
    .filter((line) => line.trim() !== "");

/** Pages that begin with nothing. */
const FROM_NOTHING = [join("docs", "getting-started.md")];
const others = PAGES.filter(
  (page) => !FROM_NOTHING.includes(page) && linesOf(page).some((line) => line.includes("rcourier ")),
);

/** The walk through a set-up has its own place: it writes the settings anew. */
const isWalk = (block: { readonly text: string }): boolean => block.text.includes("rcourier sandbox ");

test.each(others)("%s: each line that it shows does what it says", async (page) => {
  for (const block of listBlocks(page).filter(({ language, text }) => language === "sh" && !text.startsWith("#!"))) {
    if (isWalk(block)) continue;
    for (const line of block.text.split("\n").filter((one) => one.trim() !== "")) {
      const before = Object.entries(BEFORE).find(([start]) => line.startsWith(start))?.[1] ?? [];
      for (const one of before) await site.run(one, environmentOf(one));
      await site.run(line, environmentOf(line));
    }
  }
}); // prettier-ignore

test("the set-up in README and in docs/setup.md ends with a verified delivery", async () => {
  for (const page of ["README.md", join("docs", "setup.md")]) {
    const project = new Project("", sandbox.facts);
    rmSync(join(project.folder, "courier.yaml"));
    writeFiles(project.folder, { "package.json": '{ "name": "ferries" }' });
    cpSync(`${BUILDS}/1`, join(project.folder, "dist"), { recursive: true });
    const shell = new Shell(project);
    const [walk] = listBlocks(page).filter(isWalk);
    for (const line of walk?.text.split("\n") ?? []) await shell.run(line, OWN_KEYS);
    expect(await shell.run("rcourier verify --format json", OWN_KEYS).then((text) => readResult("verification", text).findings)).toEqual([]);
    shell.stop();
  }
}); // prettier-ignore

/** The sandbox's keys come from the profile that `setup` has written. */
const OWN_KEYS = { AWS_ACCESS_KEY_ID: "", AWS_SECRET_ACCESS_KEY: "" };

test("getting started: both walks, from an empty folder to a verified delivery, the next version and the way back", async () => {
  const project = new Project("", sandbox.facts);
  rmSync(join(project.folder, "courier.yaml"));
  const walks = ["A site with many pages", "A single-page app"].map((title) =>
    listBlocks(FROM_NOTHING[0] ?? "").filter((block) => block.title === title && block.language === "sh"),
  );
  for (const blocks of walks) {
    const shell = new Shell(project);
    const said: string[] = [];
    for (const line of blocks.flatMap(({ text }) => text.split("\n")))
      said.push(await shell.run(line, OWN_KEYS));
    const text = said.join("");
    expect(text).toMatch(/release 1: all \d+ addresses answer as delivered/);
    expect(text).toMatch(/release 2 is delivered; it replaces release 1\./);
    expect(text).toMatch(/Verified: all \d+ addresses answer as delivered/);
    shell.stop();
  }
  expect(walks.map((blocks) => blocks.length)).toEqual([7, 6]);
});

/** Logs in the bucket, and in one of their own. */
async function putLogs(): Promise<void> {
  const { endpoint, region, accessKeyId, secretAccessKey, bucket } = sandbox.facts;
  const client = new S3Client({ endpoint, region, forcePathStyle: true, credentials: { accessKeyId, secretAccessKey } });
  await client.send(new CreateBucketCommand({ Bucket: "pelican-sound-logs" })).catch(() => undefined);
  client.destroy();
  for (const [name, prefix] of [[bucket, "logs/edge/"], ["pelican-sound-logs", "edge/"]] as const) {
    const store = openStore({ facts: { ...sandbox.facts, bucket: name } }, prefix);
    const bytes = Buffer.from(LOG);
    await store.put("1.log", { size: bytes.length, hash: createHash("sha256").update(bytes).digest("hex"), open: () => bytes }, {});
    store.close();
  }
} // prettier-ignore
