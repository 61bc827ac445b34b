import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { once } from "node:events";
import { createServer, request } from "node:http";
import type { AddressInfo } from "node:net";
import { join, resolve } from "node:path";
import { CreateBucketCommand, CreateMultipartUploadCommand, S3Client } from "@aws-sdk/client-s3";
import { createS3Bucket } from "../../src/adapters/stores/s3/bucket.ts";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import type { CheckupResult } from "../../src/results/checkup.ts";
import { isSamePolicy } from "../../src/core/bucket/policies.ts";
import type { PruneResult } from "../../src/results/history.ts";
import type { ProvisionResult } from "../../src/results/provision.ts";
import type { VerifyResult } from "../../src/results/verification.ts";
import { describeObjectStore } from "../contracts/object-store.ts";
import { listRealBuilds, temporaryFolder, unpackRealBuild, walk, writeFiles } from "../support/builds.ts";
import { findBroken, listKeys, readSite } from "../support/stored-site.ts";
import { Project } from "../support/program.ts";
import { isSoak } from "../support/seeds.ts";

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
const openBucketStore = (name: string) =>
  createS3Store({ endpoint, region, bucket: name, prefix: "", addressing: "path" }, () => undefined);

describeObjectStore(
  "s3 on a real store",
  { conditions: "puts", website: true, headers: true, copiesKeepEtags: true, anyName: true, listed: 1005 },
  () => Promise.resolve(open("contract/")),
);

test("a build is delivered, delivered again without a write, and its next version sends only what changed", async () => {
  const [archive] = listRealBuilds({ others: isSoak }).filter(({ name }) => name === "esbuild");
  const { v1, v2, truth } = await unpackRealBuild(archive as NonNullable<typeof archive>);
  const settings = `site: Pelican Sound Ferries\nbuild: { folder: ${v1} }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region}, prefix: site }\n`;
  const project = new Project(settings, { accessKeyId, secretAccessKey });
  expect((await project.result(["deliver"])).counts.new).toBe(walk(v1).length);
  expect(await project.result(["deliver"])).toMatchObject({ release: 1, previous: 1, requests: { list: 1, get: 2, put: 0, copy: 0, delete: 0 } });
  const { counts } = await project.result(["deliver", "--build", v2]);
  expect(counts).toMatchObject({ replaced: truth.changed.length, unchanged: truth.unchanged, moved: truth.movedBytes.length });
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
}); // prettier-ignore

test.each([
  ["a wrong bucket", (text: string) => text.replace(`bucket: ${bucket}`, "bucket: no-such-bucket-here"), 1, /there is no bucket/],
  ["a wrong secret", (text: string) => text, 7, /does not accept these credentials/],
] as const)("%s is told apart", async (what, change, exit, message) => {
  const settings = change(`site: S\nbuild: { folder: . }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region} }\n`);
  const outcome = await new Project(settings, { accessKeyId, secretAccessKey: what === "a wrong secret" ? "x" : secretAccessKey }).run(["deliver"]);
  expect(outcome.stderr).toMatch(message);
  expect(outcome.exit).toBe(exit);
}); // prettier-ignore

const demo = (number: number): string => resolve(`demo/builds/${number}`);
const projectAt = (prefix: string, more = ""): Project =>
  new Project(
    `site: Pelican Sound Ferries\nbuild: { folder: ${demo(1)} }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region}, prefix: ${prefix} }\n${more}\n`,
    { accessKeyId, secretAccessKey },
  );

test("killed deliveries leave every page whole and are finished by the same call; the way back copies only", async () => {
  const store = open("killed/");
  const project = projectAt("killed");
  await project.result(["deliver"]);
  let killed = 0;
  for (let number = 0; number < 4; number++) {
    const call = ["deliver", "--build", demo(2 - (number % 2))];
    const child = project.start(call);
    const ended = once(child, "exit");
    setTimeout(() => child.kill("SIGKILL"), 250 + number * 240);
    await ended;
    killed += Number(child.signalCode === "SIGKILL");
    expect(findBroken(await readSite(store))).toEqual([]);
    await project.result(call);
  }
  expect(killed).toBeGreaterThan(1);
  const before = await readSite(store);
  await project.result(["deliver", "--build", demo(2)]);
  expect(await project.result(["redeliver", "previous"])).toMatchObject({ bytes: { sent: 0 } });
  const back = await readSite(store);
  for (const [key, { hash, headers }] of before)
    expect([key, back.get(key)]).toEqual([key, expect.objectContaining({ hash, headers })]);
  expect((await listKeys(store)).filter((key) => key.startsWith(".courier/open/"))).toEqual([]);
});

test("two runners at once: one delivers, the other exits 6; conditions were seen to work", async () => {
  const project = projectAt("pair");
  await project.result(["deliver"]);
  const ends = await Promise.all(
    [1, 2].map(() => project.run(["deliver", "--build", demo(2), "--format", "json"])),
  );
  const exits = ends.map(({ exit }) => exit).sort();
  // The second may also have come when everything was done.
  expect([[0, 0], [0, 6]]).toContainEqual(exits); // prettier-ignore
  const hold = await open("pair/").get(".courier/hold.json");
  const chunks: Uint8Array[] = [];
  for await (const chunk of hold?.body ?? []) chunks.push(chunk);
  expect(JSON.parse(Buffer.concat(chunks).toString())).toMatchObject({ conditions: true, isReleased: true });
});

test("a new type changes the ETag or the run says that it could not; drift of headers alone is found", async () => {
  const types = (type: string): string => `types: [{ files: downloads/timetable-card.txt, type: ${type} }]`;
  await projectAt("labels").result(["deliver"]);
  const store = open("labels/");
  const before = (await store.head("downloads/timetable-card.txt"))?.etag;
  const relabelled = await projectAt("labels", types("text/markdown")).run(["deliver"]);
  expect(relabelled.exit).toBe(0);
  const after = await store.head("downloads/timetable-card.txt");
  expect(after?.headers["content-type"]).toBe("text/markdown; charset=utf-8");
  expect(after?.etag !== before || relabelled.stderr.includes("same ETag")).toBe(true);
  // The store tells times of writing by the second.
  await new Promise((done) => setTimeout(done, 1500));
  await store.copy({ key: "about.html" }, "about.html", { "content-type": "text/plain" });
  const drifted = await projectAt("labels", types("text/markdown")).result(["compare"]);
  expect(drifted.changes.map(({ key, change }) => [key, change])).toEqual([["about.html", "drifted"]]);
});

test("a large file goes in parts, is whole, and its unfinished parts can be let go of", async () => {
  const size = 80_000_000;
  const folder = temporaryFolder("large");
  writeFiles(folder, { "index.html": "<!doctype html>", "film.bin": Buffer.alloc(size, "ferry ") });
  const settings = `site: S\nbuild: { folder: ${folder} }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region}, prefix: large }\n`;
  const project = new Project(settings, { accessKeyId, secretAccessKey });
  expect((await project.result(["deliver"])).requests.multipart).toBeGreaterThan(10);
  expect(await project.result(["deliver"])).toMatchObject({ changes: [] });
  const client = new S3Client({ endpoint, region, forcePathStyle: true });
  await client.send(new CreateMultipartUploadCommand({ Bucket: bucket, Key: "large/other.bin" }));
  expect(await open("large/").abandonUploads(new Set(["film.bin"]))).toBe(0);
  expect(await open("large/").abandonUploads(new Set(["other.bin"]))).toBe(1);
  expect(await open("large/").abandonUploads(new Set(["other.bin"]))).toBe(0);
  client.destroy();
});

/** A website endpoint is asked under a name of its own; this machine's names lead nowhere there, so a door stands before it. */
async function openWebsiteDoor(name: string): Promise<{ url: string; close: () => void }> {
  const { hostname, port } = new URL(endpoint);
  const server = createServer((asked, answer) => {
    const headers = { ...asked.headers, host: `${name}.website.localhost:${port}` };
    // This store's own error pages are longer than they say: what came until then is the answer.
    const passed = request({ hostname, port, path: asked.url, method: asked.method, headers }, (found) => {
      const chunks: Buffer[] = [];
      const { "content-length": _, ...kept } = found.headers;
      found.on("data", (chunk: Buffer) => chunks.push(chunk)).on("error", () => undefined);
      found.once("close", () => answer.writeHead(found.statusCode ?? 502, kept).end(Buffer.concat(chunks)));
    });
    passed.on("error", () => undefined);
    asked.pipe(passed);
  });
  await once(server.listen(0, "127.0.0.1"), "listening");
  const { port: own } = server.address() as AddressInfo;
  return {
    url: `http://127.0.0.1:${own}`,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}

const projectOn = (name: string, store: string, more = ""): Project =>
  new Project(
    `site: Pelican Sound Ferries\nbuild: { folder: ${JSON.stringify(demo(1))} }\ndestinations:\n  real:\n    store: { kind: s3, bucket: ${name}, endpoint: "${endpoint}", region: ${region}, ${store} }\n${more}`,
    { accessKeyId, secretAccessKey },
  );

async function provisionOf(project: Project, ...args: string[]): Promise<ProvisionResult> {
  const outcome = await project.run(["provision", "--yes", "--format", "json", ...args]);
  expect([outcome.exit, outcome.stderr]).toEqual([0, ""]);
  return JSON.parse(outcome.stdout) as ProvisionResult;
}

test("from no bucket to what visitors get of its website: provision, checkup, deliver, verify, and the way back", async () => {
  const name = "pelican-journey";
  const door = await openWebsiteDoor(name);
  const project = projectOn(name, "serves: website", `    url: ${door.url}\n`);
  const made = await provisionOf(project, "--tag", "team=web");
  expect([made.steps.map((step) => step.do), made.byHand]).toEqual([["create-bucket", "set-policy", "set-website", "set-tags"], []]); // prettier-ignore
  expect((await provisionOf(project, "--tag", "team=web")).steps).toEqual([]);
  const checked = await project.run(["checkup", "--format", "json"]);
  const { links } = JSON.parse(checked.stdout) as CheckupResult;
  expect(links.filter(({ state }) => state === "broken")).toEqual([]);
  expect(links).toContainEqual(expect.objectContaining({ link: "conditions", state: "good" }));
  expect(links).toContainEqual(expect.objectContaining({ link: "reading", state: "good" }));
  await project.result(["deliver"]);
  await project.result(["deliver", "--build", demo(2)]);
  const asked = async (path: string): Promise<number> => (await fetch(door.url + path)).status;
  expect([await asked("/"), await asked("/news/"), await asked("/.courier/current.json")]).toEqual([200, 200, 403]); // prettier-ignore
  const verified = await project.run(["verify", "--format", "json"]);
  const causes = (JSON.parse(verified.stdout) as VerifyResult).findings.map(({ causeCode }) => causeCode);
  // The store does not compress, and tells nobody what is missing: both are for an edge to mend.
  expect(new Set(causes)).toEqual(new Set(["compression-off", "store-hides-missing"]));
  expect((await project.result(["redeliver", "previous"])).bytes.sent).toBe(0);
  door.close();
});

test("reads below a prefix, with and without a known identity; for the edge only; a policy that opens the records is taken back", async () => {
  for (const identity of ["", ', identity: "arn:aws:iam:::user/tester"']) {
    const name = `pelican-prefix${identity === "" ? "" : "-known"}`;
    const project = projectOn(name, `prefix: site/${identity}`);
    expect((await provisionOf(project)).steps.map((step) => step.do)).toEqual([
      "create-bucket",
      "set-policy",
    ]);
    await project.result(["deliver"]);
    const asked = async (key: string): Promise<number> => (await fetch(`${endpoint}/${name}/${key}`)).status;
    expect([identity, await asked("site/index.html"), await asked("site/.well-known/security.txt"), await asked("site/.courier/current.json")]).toEqual([identity, 200, 200, 403]); // prettier-ignore
  }
  const distribution =
    '    edge: { kind: distribution, id: EXAMPLE0000001, endpoint: "http://127.0.0.1:9" }\n';
  const edgeOnly = projectOn("pelican-edge-only", "serves: objects", distribution);
  const made = await provisionOf(edgeOnly);
  // This store would shut its owner out by the block: it is left to a person, and everything else works.
  expect(made.steps.map((step) => step.do)).toEqual(["create-bucket", "set-policy"]);
  expect(made.byHand.map(({ what }) => what)).toEqual([
    "block all public access",
    "look at the distribution EXAMPLE0000001, and set it up",
  ]);
  const bucketOf = createS3Bucket({ endpoint, region, bucket: "pelican-edge-only", prefix: "", addressing: "path" }); // prettier-ignore
  const open = { Version: "2012-10-17", Statement: [{ Sid: "Theirs", Effect: "Allow" as const, Principal: "*" as const, Action: ["s3:GetObject"], Resource: ["arn:aws:s3:::pelican-edge-only/*"] }] }; // prettier-ignore
  await bucketOf.writePolicy(open);
  const refused = await projectOn("pelican-edge-only", "serves: objects").run(["provision", "--yes"]);
  expect([refused.exit, refused.stderr]).toEqual([1, expect.stringContaining("everybody could read this tool's records")]); // prettier-ignore
  const standing = await bucketOf.readPolicy();
  expect(standing.state === "set" && isSamePolicy(standing.value, open)).toBe(true);
  bucketOf.close();
});

test("a bucket that keeps versions refuses every condition here: deliveries go on without them, and say so", async () => {
  const project = projectOn("pelican-versions", "serves: objects");
  await provisionOf(project, "--versioning");
  for (const [number, release] of [
    [1, 1],
    [2, 2],
    [2, 2],
    [1, 3],
  ] as const) {
    const { exit, stdout, stderr } = await project.run(["deliver", "--build", demo(number), "--format", "json"]);
    expect([number, exit, (JSON.parse(stdout) as { release: number }).release]).toEqual([number, 0, release]);
    if (release !== 2) expect(stderr).toContain("no conditional writes");
  }
  // What is forgotten there goes from the versions, too.
  const forgotten = await project.run(["prune", "--forget", "robots.txt", "--yes", "--format", "json"]);
  const { versions } = JSON.parse(forgotten.stdout) as PruneResult;
  expect([forgotten.exit, versions]).toEqual([0, expect.any(Number)]);
  expect(versions).toBeGreaterThan(0);
  const store = openBucketStore("pelican-versions");
  const kept: string[] = [];
  for await (const page of store.versions?.list() ?? []) kept.push(...page.map(({ key }) => key));
  expect([kept.includes("robots.txt"), kept.includes("index.html")]).toEqual([false, true]);
  store.close();
}); // prettier-ignore
