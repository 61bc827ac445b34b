import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { CreateBucketCommand, S3Client } from "@aws-sdk/client-s3";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { describeObjectStore } from "../contracts/object-store.ts";
import { listRealBuilds, unpackRealBuild, walk } from "../support/builds.ts";
import { Project } from "../support/program.ts";

/** The facts that the start script printed: `endpoint=… access_key=… secret_key=… region=…`. */
const facts = Object.fromEntries(
  (process.env.COURIER_REAL_STORE ?? "").split(" ").map((pair) => pair.split(/=(.*)/s).slice(0, 2)),
) as Record<string, string>;
const { endpoint = "", access_key: accessKeyId = "", secret_key: secretAccessKey = "", region = "" } = facts;
const bucket = "pelican-sound-web";

beforeAll(async () => {
  process.env.AWS_ACCESS_KEY_ID = accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = secretAccessKey;
  const client = new S3Client({ endpoint, region, forcePathStyle: true });
  await client.send(new CreateBucketCommand({ Bucket: bucket }));
  client.destroy();
});

const open = (prefix: string) =>
  createS3Store({ endpoint, region, bucket, prefix, addressing: "path" }, () => undefined);

describeObjectStore("s3 on a real store", { conditions: true, website: true }, () =>
  Promise.resolve(open("contract/")),
);

test("a build is delivered, delivered again without a write, and its next version sends only what changed", async () => {
  const [archive] = listRealBuilds().filter(({ name }) => name === "esbuild");
  const { v1, v2, truth } = await unpackRealBuild(archive as NonNullable<typeof archive>);
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: ${v1} }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region}, prefix: site }\n`;
  const project = new Project(settings, { accessKeyId, secretAccessKey });
  expect((await project.result(["deliver"])).counts.new).toBe(walk(v1).length);
  expect(await project.result(["deliver"])).toMatchObject({
    release: 1,
    previous: 1,
    requests: { list: 1, get: 2, put: 0, copy: 0, delete: 0 },
  });
  const { counts } = await project.result(["deliver", "--build", v2]);
  expect(counts).toMatchObject({
    replaced: truth.changed.length,
    unchanged: truth.unchanged,
    moved: truth.movedBytes.length,
  });
  const store = open("site/");
  for (const path of walk(v2)) {
    const sum = createHash("sha256");
    for await (const chunk of (await store.get(path))?.body ?? []) sum.update(chunk);
    expect({ path, hash: sum.digest("hex") }).toEqual({
      path,
      hash: createHash("sha256")
        .update(readFileSync(join(v2, path)))
        .digest("hex"),
    });
  }
  store.close();
  expect((await project.result(["deliver", "--build", v1])).bytes.sent).toBe(0);
});

test.each([
  [
    "a wrong bucket",
    (text: string) => text.replace(`bucket: ${bucket}`, "bucket: no-such-bucket-here"),
    1,
    /there is no bucket/,
  ],
  ["a wrong secret", (text: string) => text, 7, /does not accept these credentials/],
] as const)("%s is told apart", async (what, change, exit, message) => {
  const settings = change(
    `site: S\nbuild: { folder: . }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region} }\n`,
  );
  const outcome = await new Project(settings, {
    accessKeyId,
    secretAccessKey: what === "a wrong secret" ? "x" : secretAccessKey,
  }).run(["deliver"]);
  expect(outcome.stderr).toMatch(message);
  expect(outcome.exit).toBe(exit);
});
