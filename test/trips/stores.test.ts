import { once } from "node:events";
import { cpSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { ListMultipartUploadsCommand, S3Client } from "@aws-sdk/client-s3";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import { findBroken, listKeys, openStore, ownKeys, readSite } from "../support/stored-site.ts";
import { makeSite } from "../support/small-site.ts";

/** The program on stores that differ from the one that the others practise on. */

const BUILDS = makeSite();
const running: RunningSandbox[] = [];
afterAll(() => Promise.all(running.map((sandbox) => sandbox.stop())));

async function start(...args: string[]): Promise<RunningSandbox> {
  const sandbox = await RunningSandbox.start(args);
  running.push(sandbox);
  return sandbox;
}

/** The site's build with a timetable, which from 64 MiB on goes in parts. */
function withTimetable(build: string, letter: string, mebibytes: number): string {
  const folder = temporaryFolder("large");
  cpSync(join(BUILDS, build), folder, { recursive: true });
  writeFileSync(join(folder, "timetable.pdf"), Buffer.alloc(mebibytes * 1024 * 1024, letter));
  return folder;
}

test.each([
  [["parts-unpinned"], 65],
  [["opaque-etags", "locks-objects"], 1],
  [["write-conditions=puts", "no-checksums", "write-conflicts"], 1],
  [["write-conditions=none", "keeps-versions"], 1],
])("deliveries, the way back and a prune go well on a store with %j", async (traits, mebibytes) => {
  const sandbox = await start(...traits.flatMap((trait) => ["--trait", trait]));
  const settings = sandbox.settings(
    withTimetable("1", "a", mebibytes),
    "    retain: { releases: 1, for: 1s }",
  );
  const project = new ProjectHere(settings, sandbox.facts);
  const store = openStore(sandbox, "");
  const looksWhole = async (release: number): Promise<void> => {
    const site = await readSite(store);
    expect([findBroken(site), site.get("timetable.pdf") !== undefined]).toEqual([[], release !== 3]);
  };
  expect((await project.result(["deliver"])).counts.drifted).toBe(0);
  expect((await project.result(["deliver"])).requests.put).toBe(0);
  await looksWhole(1);
  // Changed, then gone: what was there goes to the vault each time, and comes back from there.
  await project.result(["deliver", "--build", withTimetable("2", "b", mebibytes)]);
  await looksWhole(2);
  await project.result(["deliver", "--build", `${BUILDS}/2`]);
  await looksWhole(3);
  expect((await project.result(["redeliver", "2"])).bytes.sent).toBe(0);
  await looksWhole(4);
  await new Promise((done) => setTimeout(done, 2500));
  expect((await project.run(["prune"])).exit).toBe(0);
  await looksWhole(5);
  expect(ownKeys(await listKeys(store)).filter((key) => key.includes("/open/"))).toEqual([]);
  store.close();
});

test("conflicts (409) are tried again: the hold has its conditions, and of two runs one waits", async () => {
  const rules = ["{ fault: conflict, operations: [PutObject], keys: '.courier/*.json', share: 0.4 }"];
  const file = join(writeFiles(temporaryFolder("faults"), { "faults.yaml": `seed: 5\nrules:\n  - ${rules.join()}\n` }), "faults.yaml"); // prettier-ignore
  const sandbox = await start("--faults", file);
  const project = new Project(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  const first = await project.run(["deliver", "--format", "ndjson"]);
  expect([first.exit, first.stdout]).toEqual([0, expect.stringContaining("ConditionalRequestConflict")]);
  expect(first.stdout).not.toContain("no-conditions");
  const both = await Promise.all([
    project.run(["deliver", "--build", `${BUILDS}/2`, "--queue", "60s"]),
    project.run(["deliver", "--build", `${BUILDS}/1`, "--note", "the other", "--queue", "60s"]),
  ]);
  expect(both.map(({ exit }) => exit)).toEqual([0, 0]);
  for (const { stderr } of both) expect(stderr).not.toContain("checks no conditions");
  const releases = sandbox.takeLedger().filter(({ key, status, method }) => method === "PUT" && status === 200 && key === ".courier/current.json"); // prettier-ignore
  // Build 1 stands when its run comes first, and then makes no release.
  expect(releases.length).toBeGreaterThanOrEqual(2);
});

test("what a killed run has left of uploads in parts goes with the next delivery, however small its files are", async () => {
  const rules = "rules: [{ fault: latency, operations: [UploadPart], ms: 2000 }]\n";
  const file = join(writeFiles(temporaryFolder("faults"), { "faults.yaml": rules }), "faults.yaml");
  const sandbox = await start("--faults", file);
  const project = new Project(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  await project.result(["deliver"]);
  // A type that changes gives each file a new ETag, by a copy in parts.
  const relabelled = sandbox.settings(`${BUILDS}/1`).replace("destinations:", "types: [{ files: 'downloads/*', type: application/x-download }]\ndestinations:"); // prettier-ignore
  writeFiles(project.folder, { "courier.yaml": relabelled });
  sandbox.takeLedger();
  const killed = project.start(["deliver"]);
  for (let begun = 0; begun === 0; await new Promise((done) => setTimeout(done, 20)))
    begun += sandbox.takeLedger().filter(({ operation }) => operation === "CreateMultipartUpload").length;
  killed.kill("SIGKILL");
  await once(killed, "close");
  const { endpoint, region, bucket, accessKeyId, secretAccessKey } = sandbox.facts;
  const client = new S3Client({
    endpoint,
    region,
    forcePathStyle: true,
    credentials: { accessKeyId, secretAccessKey },
  });
  const unfinished = async (): Promise<number> =>
    ((await client.send(new ListMultipartUploadsCommand({ Bucket: bucket }))).Uploads ?? []).length;
  expect(await unfinished()).toBeGreaterThan(0);
  expect((await project.run(["deliver", "--queue", "60s"])).exit).toBe(0);
  expect(await unfinished()).toBe(0);
  client.destroy();
});
