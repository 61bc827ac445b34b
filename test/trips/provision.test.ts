import { cpSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { createS3Bucket } from "../../src/adapters/stores/s3/bucket.ts";
import type { ProvisionResult } from "../../src/results/provision.ts";
import type { Bucket } from "../../src/ports/bucket.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { NO_KEYS, RunningSandbox } from "../support/program.ts";
import { readResult } from "../support/results.ts";
import { makeSite } from "../support/small-site.ts";

const BUILD = `${makeSite()}/1`;

let sandbox: RunningSandbox;
afterEach(() => sandbox.stop());

const provisionOf = async (project: ProjectHere, ...args: string[]): Promise<ProvisionResult> => {
  const outcome = await project.run(["provision", "--format", "json", ...args]);
  expect([outcome.exit, outcome.stderr]).toEqual([0, ""]);
  return readResult("provision", outcome.stdout);
};

const projectOf = (store: string, more = ""): ProjectHere => {
  const { endpoint, region, edge } = sandbox.facts;
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: ${JSON.stringify(BUILD)} }\ndestinations:\n  practice:\n    url: ${edge}\n    store: { kind: s3, bucket: practice, region: ${region}, endpoint: "${endpoint}", ${store} }\n${more}`;
  return new ProjectHere(settings, sandbox.facts.limited ?? sandbox.facts);
};

function openBucket(): Bucket {
  const { endpoint, region, bucket, accessKeyId, secretAccessKey } = sandbox.facts;
  Object.assign(process.env, { AWS_ACCESS_KEY_ID: accessKeyId, AWS_SECRET_ACCESS_KEY: secretAccessKey });
  return createS3Bucket({ bucket, prefix: "", endpoint, region, addressing: "path" });
}

test("from an empty folder to a delivery that was verified, each command of the README at its first try", async () => {
  const began = performance.now();
  const project = new ProjectHere("", NO_KEYS);
  writeFiles(project.folder, { "package.json": '{"name":"pelican"}' });
  cpSync(BUILD, join(project.folder, "dist"), { recursive: true });
  const setup = await project.run(["setup", "--sandbox", "--settings", "new.yaml"]);
  expect([setup.exit, setup.stderr]).toEqual([0, ""]);
  // Each step that the farewell names is the next one of this test.
  expect([...setup.stdout.matchAll(/rcourier ([a-z]+)/g)].map(([, name]) => name)).toEqual(["sandbox", "provision", "checkup", "deliver"]); // prettier-ignore
  sandbox = await RunningSandbox.start(["--empty"]);
  const text = readFileSync(join(project.folder, "new.yaml"), "utf8");
  expect(text).not.toMatch(/SANDBOXPRACTICEKEY|guards-nothing/);
  expect(readFileSync(join(project.folder, ".gitignore"), "utf8")).toContain("/.courier-sandbox/");
  const { endpoint, edgeApi, edge } = sandbox.facts;
  writeFiles(project.folder, { "courier.yaml": text.replace("http://127.0.0.1:8450", endpoint).replace("http://127.0.0.1:8451", edgeApi).replace("http://127.0.0.1:8460", edge) }); // prettier-ignore
  const made = await provisionOf(project, "--yes");
  expect(made.steps.map((step) => step.do)).toEqual([
    "create-bucket",
    "set-policy",
    "set-public-block",
    "make-distribution",
    "write-settings",
  ]);
  expect((await project.run(["checkup"])).exit).toBe(0);
  expect(await project.result(["deliver"])).toMatchObject({ release: 1, invalidation: { confirmed: true } });
  const verified = await project.run(["verify"]);
  expect([verified.exit, verified.stdout]).toEqual([
    0,
    expect.stringMatching(/all \d+ addresses answer as delivered/),
  ]);
  const seconds = ((performance.now() - began) / 1000).toFixed(1);
  process.stdout.write(`from an empty folder to a verified delivery: ${seconds} s of commands\n`);
});

test("provision makes a website for everybody, below a prefix too; again, nothing is changed; visitors get the site, not the records", async () => {
  sandbox = await RunningSandbox.start(["--bare", "--origin", "website"]);
  const project = projectOf("serves: website");
  const dry = await provisionOf(project, "--dry-run");
  expect(dry.steps.map((step) => step.do)).toEqual(["create-bucket", "set-policy", "set-website"]);
  const asked = await project.run(["provision"]);
  expect([asked.exit, asked.stderr]).toEqual([
    3,
    expect.stringContaining("provision would make 3 changes to practice"),
  ]);
  expect(sandbox.takeLedger().filter(({ method }) => method !== "GET" && method !== "HEAD")).toEqual([]);
  expect((await provisionOf(project, "--yes", "--versioning", "--tag", "team=web")).checked).toHaveLength(3);
  sandbox.takeLedger();
  expect((await provisionOf(project, "--yes", "--versioning", "--tag", "team=web")).steps).toEqual([]);
  expect(sandbox.takeLedger().filter(({ operation }) => operation === "PutBucketSettings")).toEqual([]);
  await project.result(["deliver"]);
  const statusOf = async (path: string): Promise<number> => (await fetch(sandbox.facts.edge + path)).status;
  expect([await statusOf("/"), await statusOf("/news/"), await statusOf("/.courier/current.json")]).toEqual([200, 200, 403]); // prettier-ignore
  // Another site in the same bucket: its own statement, and the website settings of the first stay.
  const other = projectOf('serves: website, prefix: "other"');
  const second = await provisionOf(other, "--yes");
  expect([second.steps.map((step) => step.do), second.byHand]).toEqual([["set-policy"], [expect.objectContaining({ why: expect.stringContaining("for another site") as string })]]); // prettier-ignore
  await other.result(["deliver"]);
  expect([await statusOf("/other/news/"), await statusOf("/other/.courier/current.json"), await statusOf("/news/")]).toEqual([200, 403, 200]); // prettier-ignore
});

test("a policy under which the records would be open is taken back, and the one before stands", async () => {
  sandbox = await RunningSandbox.start();
  const bucket = openBucket();
  const before = { Version: "2012-10-17", Statement: [{ Sid: "Theirs", Effect: "Allow" as const, Principal: "*" as const, Action: "s3:GetObject", Resource: "arn:aws:s3:::practice/*" }] }; // prettier-ignore
  await bucket.writePolicy(before);
  const { exit, stderr } = await projectOf("serves: objects").run(["provision", "--yes"]);
  expect([exit, stderr]).toEqual([1, expect.stringMatching(/everybody could read this tool's records[^]*the old policy is back/)]); // prettier-ignore
  expect(await bucket.readPolicy()).toEqual({ state: "set", value: before });
  bucket.close();
});

test("a missing right is named; what a store does not know is left to a person with what to do; a taken name is said", async () => {
  const statement = (...Action: string[]) => ({ Effect: "Allow", Action, Resource: "*" });
  const file = join(writeFiles(temporaryFolder("policy"), { "policy.json": JSON.stringify({ Statement: [statement("s3:ListBucket", "s3:CreateBucket", "s3:GetBucketPolicy", "s3:GetBucketWebsite", "s3:GetBucketVersioning", "s3:GetBucketPublicAccessBlock", "s3:GetBucketTagging")] }) }), "policy.json"); // prettier-ignore
  sandbox = await RunningSandbox.start(["--policy", file]);
  const denied = await projectOf("serves: objects").run(["provision", "--yes"]);
  expect([denied.exit, denied.stderr]).toEqual([7, expect.stringContaining("s3:PutBucketPolicy")]);
  await sandbox.stop();
  const faults = (rule: object): string[] => ["--faults", join(writeFiles(temporaryFolder("faults"), { "faults.yaml": JSON.stringify({ rules: [rule] }) }), "faults.yaml")]; // prettier-ignore
  sandbox = await RunningSandbox.start(["--bare", ...faults({ fault: "unsupported", operations: ["GetBucketSettings", "PutBucketSettings"] })]); // prettier-ignore
  const project = projectOf("serves: website");
  // What is not there yet can't be looked at: so the first call finds out by trying.
  for (const steps of [["create-bucket"], []]) {
    const result = await provisionOf(project, "--yes");
    expect([result.steps.map((step) => step.do), result.byHand.length]).toEqual([steps, 2]);
    expect(result.byHand.map(({ how }) => how).join()).toContain("serves: objects");
  }
  await sandbox.stop();
  const names: [object, number, RegExp][] = [
    [
      { fault: "taken", operations: ["CreateBucket"] },
      1,
      /somebody else already has a bucket practice[^]*choose another/,
    ],
    [{ fault: "denied", operations: ["HeadBucket"] }, 7, /s3:ListBucket, or the bucket is somebody else's/],
  ];
  for (const [rule, exit, said] of names) {
    sandbox = await RunningSandbox.start(["--bare", ...faults(rule)]);
    const outcome = await projectOf("serves: objects").run(["provision", "--yes"]);
    expect([outcome.exit, outcome.stderr]).toEqual([exit, expect.stringMatching(said)]);
    await sandbox.stop();
  }
});
