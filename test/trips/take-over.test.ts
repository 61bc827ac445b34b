import { appendFileSync, cpSync } from "node:fs";
import { join } from "node:path";
import { CreateBucketCommand, S3Client } from "@aws-sdk/client-s3";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, useSandboxes, type RunningSandbox } from "../support/program.ts";
import { openStore, readSite } from "../support/stored-site.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();
const startSandbox = useSandboxes("--origin", "website");

/** Bytes of the site's own files that came from this machine. */
const sentFiles = (sandbox: RunningSandbox): (string | undefined)[] =>
  sandbox
    .takeLedger()
    .filter(
      ({ operation, key, received }) =>
        operation === "PutObject" && received > 0 && !key?.includes(".courier/"),
    )
    .map(({ key }) => key);

interface Stage {
  readonly sandbox: RunningSandbox;
  readonly project: ProjectHere;
  readonly dist: string;
}

/** Production with the first build, and the second one at hand. */
async function setUp(production = "", others: (endpoint: string) => string = () => ""): Promise<Stage> {
  const sandbox = await startSandbox();
  const { edge, edgeApi, distribution, bucket, endpoint, region } = sandbox.facts;
  const dist = join(temporaryFolder("taken"), "dist");
  cpSync(`${BUILDS}/2`, dist, { recursive: true });
  const settings = [
    "site: Pelican Sound Ferries",
    `build: { folder: ${JSON.stringify(dist)} }`,
    "destinations:",
    "  production:",
    `    url: ${edge}`,
    "    default: true",
    `    store: { kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region}, serves: website }`,
    `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, minimumFreshness: 0s, ${AT_ONCE} }`,
    `    previews: { address: "${edge.replace("127.0.0.1", "{name}.preview.localhost")}" }`,
    production,
    others(endpoint),
    "",
  ].join("\n");
  const project = new ProjectHere(settings, sandbox.facts);
  writeFiles(project.folder, { "own/config.json": '{"live":true}', "own/staging.json": '{"staging":true}' });
  await project.result(["deliver", "--build", `${BUILDS}/1`]);
  sandbox.takeLedger();
  return { sandbox, project, dist };
}

test("what was shown goes live: no byte of it from this machine, and just what a delivery of that build would have made", async () => {
  const own = "    files: [{ from: own/config.json, as: config.json }]\n    headers: [{ files: '*.webmanifest', set: { Content-Language: en } }]";
  const { sandbox, project, dist } = await setUp(own);
  writeFiles(dist, { "config.json": '{"built":true}' });
  await project.result(["deliver", "--preview", "spring"]);
  await project.run(["prune"]);
  sandbox.takeLedger();
  const result = await project.result(["redeliver", "preview/spring@1"]);
  expect(result).toMatchObject({ destination: "production", release: 2, previous: 1, takenFrom: "preview/spring@1" });
  expect(sentFiles(sandbox)).toEqual([]);
  const site = await readSite(openStore(sandbox, ""));
  const preview = await readSite(openStore(sandbox, "previews/spring/"));
  for (const [key, { hash }] of preview)
    if (key !== "robots.txt") expect([key, site.get(key)?.hash]).toEqual([key, hash]);
  expect(site.get("config.json")?.text).toBe('{"live":true}');
  expect(site.get("robots.txt")?.text).toContain("Sitemap");
  // The same build, delivered: it finds nothing to do, so keys, bytes and headers are those of production's rules.
  const again = await project.result(["deliver"]);
  expect([again.release, again.changes, again.generated.written]).toEqual([2, [], 0]);
  expect((await project.run(["verify"])).exit).toBe(0);
  expect((await project.run(["releases"])).stdout).toContain("preview/spring@1");
  expect((await project.result(["redeliver", "previous"])).bytes.sent).toBe(0);
}); // prettier-ignore

test("what has changed since it was shown is refused, and so is what a guard refuses", async () => {
  const { project, dist } = await setUp();
  await project.result(["deliver", "--preview", "spring"]);
  appendFileSync(join(dist, "about.html"), "<!-- later -->");
  await project.result(["deliver", "--preview", "spring"]);
  const changed = await project.run(["redeliver", "preview/spring@1"]);
  expect([changed.exit, changed.stderr]).toEqual([3, expect.stringContaining("you asked for release 1, and release 2 is there now")]);
  const small = writeFiles(join(dist, "../small"), { "index.html": "nearly nothing" });
  await project.result(["deliver", "--preview", "small", "--build", small]);
  const refused = await project.run(["redeliver", "preview/small"]);
  expect([refused.exit, refused.stderr]).toEqual([3, expect.stringContaining("(vanish)")]);
  const unknown = await project.run(["redeliver", "preview/nowhere"]);
  expect([unknown.exit, unknown.stderr]).toEqual([2, expect.stringContaining("preview/nowhere")]);
  expect((await project.run(["redeliver", "nowhere:current"])).exit).toBe(2);
  const planned = await project.result(["redeliver", "preview/spring@2", "--dry-run"]);
  expect([planned.dryRun, planned.release]).toEqual([true, 2]);
  expect((await project.result(["compare", "--build", `${BUILDS}/1`])).changes).toEqual([]);
}); // prettier-ignore

const staging = (store: string): string =>
  `  staging:\n    store: ${store}\n    noIndex: true\n    files: [{ from: own/staging.json, as: config.json }, { from: own/staging.json, as: only-here.json }]\n    headers: [{ files: '*.html', set: { Content-Language: de } }]`;

test("from one destination to another: its own files stay there, those of the build come, in another bucket as well", async () => {
  const { sandbox, project, dist } = await setUp("", (at) => staging(`{ kind: s3, bucket: staging, endpoint: "${at}", region: eu-sandbox-1 }`));
  const { endpoint, region, accessKeyId, secretAccessKey } = sandbox.facts;
  const client = new S3Client({ endpoint, region, forcePathStyle: true, credentials: { accessKeyId, secretAccessKey } });
  await client.send(new CreateBucketCommand({ Bucket: "staging" }));
  client.destroy();
  writeFiles(dist, { "config.json": '{"built":true}' });
  const first = await project.result(["deliver", "--to", "staging"]);
  expect(first.url).toBeUndefined();
  sandbox.takeLedger();
  const result = await project.result(["redeliver", "staging:current", "--to", "production"]);
  expect([result.takenFrom, result.bytes.sent, sentFiles(sandbox)]).toEqual(["staging:1", 0, []]);
  const site = await readSite(openStore(sandbox, ""));
  expect([site.get("config.json")?.text, site.has("only-here.json")]).toEqual(['{"built":true}', false]);
  expect(site.get("robots.txt")?.text).toContain("Sitemap");
  const again = await project.result(["deliver", "--to", "production"]);
  expect([again.release, again.changes]).toEqual([2, []]);
}); // prettier-ignore

test("between two stores only through this machine, each content checked by its hash", async () => {
  const other = await startSandbox();
  const { endpoint, region, bucket } = other.facts;
  const { sandbox, project } = await setUp("", () => staging(`{ kind: s3, bucket: ${bucket}, endpoint: "${endpoint}", region: ${region} }`));
  await project.result(["deliver", "--to", "staging"]);
  const refused = await project.run(["redeliver", "staging:current", "--to", "production"]);
  expect([refused.exit, refused.stderr]).toEqual([1, expect.stringContaining("--through-here")]);
  sandbox.takeLedger();
  const result = await project.result(["redeliver", "staging:current", "--to", "production", "--through-here"]);
  expect([result.takenFrom, result.release]).toEqual(["staging:1", 2]);
  expect(sentFiles(sandbox)).toContain("index.html");
  const again = await project.result(["deliver", "--to", "production"]);
  expect([again.release, again.changes]).toEqual([2, []]);
}); // prettier-ignore
