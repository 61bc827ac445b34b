import { join } from "node:path";
import { CreateMultipartUploadCommand, S3Client } from "@aws-sdk/client-s3";
import type { Policy, PolicyStatement } from "../../src/core/model/policy.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, NO_KEYS, useSandboxes } from "../support/program.ts";
import { openStore } from "../support/stored-site.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();

const startSandbox = useSandboxes();

const without = (policy: Policy, right: string): Policy => ({
  ...policy,
  Statement: policy.Statement.map((one): PolicyStatement => ({
    ...one,
    Action: [one.Action].flat().filter((action) => action !== right),
  })).filter(({ Action }) => Action.length > 0),
});

/** Makes these calls below a prefix until one fails, as an identity that may do just what a policy says. */
async function callUnder(policy: Policy, calls: readonly string[][], traits: readonly string[] = []) {
  const sandbox = await startSandbox("--policy", writePolicy(policy), "--propagation", "1s", ...traits);
  const { limited, distribution, edgeApi } = sandbox.facts;
  // What it answers is not looked at: this is about rights.
  const edge = `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", confirm: off, ${AT_ONCE} }\n    retain: { releases: 1, for: 1d }`;
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, edge, "site/"), limited ?? NO_KEYS);
  let outcome = await project.run(["deliver"]);
  for (const args of calls) if (outcome.exit === 0) outcome = await project.run(args);
  return outcome;
}

/** Delivers twice and goes back. */
const deliverUnder = (policy: Policy) =>
  callUnder(policy, [
    ["deliver", "--build", `${BUILDS}/2`],
    ["redeliver", "previous"],
  ]);

/** What a run does about parts of a large object that one before it has left. @returns how many uploads were let go of */
async function letGoOfParts(policy: Policy): Promise<number> {
  const sandbox = await startSandbox("--policy", writePolicy(policy));
  const { limited = NO_KEYS, endpoint, region, bucket } = sandbox.facts;
  const client = new S3Client({ endpoint, region, forcePathStyle: true, credentials: limited });
  await client.send(new CreateMultipartUploadCommand({ Bucket: bucket, Key: "site/film.webm" }));
  client.destroy();
  const store = openStore({ facts: { ...sandbox.facts, ...limited } }, "site/");
  return store.abandonUploads(new Set(["film.webm"]));
}

const writePolicy = (policy: Policy): string =>
  join(writeFiles(temporaryFolder("policy"), { "policy.json": JSON.stringify(policy) }), "policy.json");

test("the printed policy is enough for deliveries and the way back, and each right of it is needed", async () => {
  const project = new ProjectHere("", NO_KEYS);
  const settings = `site: Pelican Sound Ferries\ndestinations:\n  production:\n    store: { kind: s3, bucket: practice, region: eu-sandbox-1, prefix: site/ }\n    edge: { kind: distribution, id: SANDBOX0000001 }\n`;
  writeFiles(project.folder, { "courier.yaml": settings });
  const { stdout } = await project.run(["policy"]);
  const policy = JSON.parse(stdout) as Policy;
  expect((await deliverUnder(policy)).exit).toBe(0);
  const rights = policy.Statement.flatMap(({ Action }) => Action);
  expect(rights).toHaveLength(9);
  for (const right of ["s3:ListBucket", "s3:GetObject", "s3:PutObject", "s3:DeleteObject"]) {
    const { exit, stderr } = await deliverUnder(without(policy, right));
    expect([right, exit, stderr]).toEqual([right, 7, expect.stringContaining(right)]);
  }
  const forget = [["prune", "--forget", "robots.txt", "--yes"]];
  expect(await callUnder(policy, forget)).toMatchObject({ exit: 0 });
  const blind = await callUnder(without(policy, "s3:ListBucketVersions"), forget);
  expect([blind.exit, blind.stderr]).toEqual([
    7,
    expect.stringMatching(/s3:ListBucketVersions.*Nothing was written/s),
  ]);
  // Where versions are kept, the delivering identity may not remove them: somebody with more rights must.
  const kept = await callUnder(policy, forget, ["--trait", "keeps-versions"]);
  expect([kept.exit, kept.stderr]).toEqual([
    7,
    expect.stringContaining("may remove versions (s3:DeleteObjectVersion)"),
  ]);
  for (const right of ["s3:ListBucketMultipartUploads", "s3:AbortMultipartUpload"]) {
    await expect(letGoOfParts(policy)).resolves.toBe(1);
    await expect(letGoOfParts(without(policy, right))).rejects.toMatchObject({ kind: "denied", message: expect.stringContaining(right) as string }); // prettier-ignore
  }
  for (const right of ["cloudfront:CreateInvalidation", "cloudfront:GetInvalidation"]) {
    const { exit, stderr } = await deliverUnder(without(policy, right));
    expect([right, exit, stderr]).toEqual([right, 5, expect.stringContaining("may not invalidate there")]);
  }
});
