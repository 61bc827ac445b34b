import { cpSync, readFileSync } from "node:fs";
import { join } from "node:path";
import {
  CloudFrontClient,
  CreateCachePolicyCommand,
  GetDistributionConfigCommand,
  GetDistributionCommand,
  UpdateDistributionCommand,
  type DistributionConfig,
} from "@aws-sdk/client-cloudfront";
import type { CheckupResult } from "../../src/results/checkup.ts";
import type { ProvisionResult } from "../../src/results/provision.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { RunningSandbox } from "../support/program.ts";
import { readResult } from "../support/results.ts";
import { makeSite } from "../support/small-site.ts";

const BUILD = `${makeSite()}/1`;

let sandbox: RunningSandbox;
afterEach(() => sandbox.stop());

interface Site {
  readonly build?: string;
  readonly store?: string;
  readonly edge?: string;
  readonly url?: string;
  /** A site whose pages refer to nothing at the root. */
  readonly isSmall?: boolean;
  readonly keys?: { readonly accessKeyId: string; readonly secretAccessKey: string };
}

const SMALL = {
  "index.html": "<!doctype html><title>Docs</title><a href='fares/'>Fares</a>",
  "fares/index.html": "<!doctype html><title>Fares</title><a href='../'>Docs</a>",
  "404.html": "<!doctype html><title>Not here</title>",
};

/** A project on an account in which nothing is yet. */
function projectOf({
  build = "",
  store = "",
  edge = "",
  url,
  keys,
  isSmall = false,
}: Site = {}): ProjectHere {
  const { endpoint, region, edgeApi, edge: home } = sandbox.facts;
  const settings = [
    "site: Pelican Sound Ferries",
    `build: { folder: dist${build} }`,
    "destinations:",
    "  production: # what visitors see",
    `    url: ${url ?? home}`,
    `    store: { kind: s3, bucket: pelican, region: ${region}, endpoint: "${endpoint}"${store} }`,
    `    edge: # made by provision`,
    `      kind: distribution`,
    `      endpoint: "${edgeApi}"`,
    `      settle: 0s`,
    `      longestFetch: 0s${edge} # its store answers at once`,
    "",
  ].join("\n");
  const project = new ProjectHere(settings, keys ?? sandbox.facts);
  if (isSmall) writeFiles(join(project.folder, "dist"), SMALL);
  else cpSync(BUILD, join(project.folder, "dist"), { recursive: true });
  return project;
}

async function provisionOf(project: ProjectHere, ...args: string[]): Promise<ProvisionResult> {
  const outcome = await project.run(["provision", "--format", "json", "--yes", ...args]);
  expect([outcome.exit, outcome.stderr]).toEqual([0, ""]);
  return readResult("provision", outcome.stdout);
}

const stepsOf = ({ steps }: ProvisionResult): string[] => steps.map((step) => step.do);

async function checkupOf(project: ProjectHere, ...args: string[]): Promise<CheckupResult> {
  const { stdout } = await project.run(["checkup", "--format", "json", ...args]);
  return readResult("checkup", stdout);
}

/** Links that do not hold, with their causes. */
const faultsOf = ({ links }: CheckupResult): string[] =>
  links.flatMap(({ state, cause = "" }) => (state === "broken" || state === "note" ? [cause] : []));

const settingsOf = (project: ProjectHere): string =>
  readFileSync(join(project.folder, "courier.yaml"), "utf8");

const WHOLE = /all \d+ addresses answer as delivered/;

test.each<[string, Site, string, number]>([
  ["a site of many pages", {}, "/nothing-here.html", 404],
  ["a site of one page", { build: ", clientRoutes: true" }, "/fares/anything", 200],
  ["a site below a path", { store: ', serves: website, prefix: "docs/"', url: "BASE/docs/", isSmall: true }, "/docs/nothing-here.html", 404],
  ["a site below a path in a store that resolves no folders", { store: ', prefix: "docs/"', url: "BASE/docs/", isSmall: true }, "/docs/nothing-here.html", 404],
  ["a site whose edge reads from the website endpoint", { store: ", serves: website" }, "/nothing-here.html", 404],
])("%s: from an empty account to a delivery that is verified, and a checkup without a note", async (_, site, unknown, status) => {
  sandbox = await RunningSandbox.start(["--empty", "--propagation", "1s"]);
  const { edge } = sandbox.facts;
  const project = projectOf({ ...site, ...(site.url === undefined ? {} : { url: site.url.replace("BASE", edge) }) });
  const early = await project.run(["deliver"]);
  expect([early.exit, early.stderr]).toEqual([2, expect.stringContaining("rcourier provision makes it")]);
  const planned = await provisionOf(project, "--dry-run");
  expect([planned.distribution, sandbox.takeLedger().filter(({ method }) => method !== "GET" && method !== "HEAD")]).toEqual([undefined, []]);
  const made = await provisionOf(project);
  expect(stepsOf(made)).toEqual(stepsOf(planned));
  expect(made).toMatchObject({ byHand: [], distribution: { deployed: true, domain: new URL(edge).host } });
  // Written where it belongs, and everything else as it stood. A website says itself how long its page for what is missing is held.
  const negative = site.store?.includes("serves: website") === true ? "60s" : "10s";
  const { id = "" } = made.distribution ?? {};
  expect(settingsOf(project)).toContain(`      longestFetch: 0s # its store answers at once\n      id: ${id}\n      query: ignored\n      minimumFreshness: 0s\n      negative: ${negative}\n`);
  expect(faultsOf(await checkupOf(project))).toEqual([]);
  const delivered = await project.run(["deliver", "--verify"]);
  expect([delivered.exit, delivered.stdout]).toEqual([0, expect.stringMatching(WHOLE)]);
  expect(faultsOf(await checkupOf(project))).toEqual([]);
  expect((await fetch(edge + unknown)).status).toBe(status);
  expect(stepsOf(await provisionOf(project))).toEqual([]);
}); // prettier-ignore

test("addresses that begin otherwise than keys are left to a person", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const { edge: base } = sandbox.facts;
  const beside = await provisionOf(projectOf({ store: ', prefix: "other/"', url: `${base}/docs/` }));
  expect([stepsOf(beside), beside.byHand.map(({ what }) => what), beside.distribution]).toEqual([["create-bucket", "set-public-block"], expect.arrayContaining(["say what the distribution reads from"]), undefined]);
}); // prettier-ignore

const clientOf = (): CloudFrontClient => {
  const { accessKeyId, secretAccessKey, edgeApi: endpoint } = sandbox.facts;
  return new CloudFrontClient({ region: "us-east-1", endpoint, credentials: { accessKeyId, secretAccessKey } });
}; // prettier-ignore

/** Somebody sets a distribution up otherwise, by hand. */
async function spoil(id: string, change: (config: DistributionConfig) => DistributionConfig): Promise<void> {
  const client = clientOf();
  const { DistributionConfig: config, ETag } = await client.send(new GetDistributionCommand({ Id: id })).then(({ Distribution, ETag }) => ({ ...Distribution, ETag })); // prettier-ignore
  if (!config) throw new Error("there is no distribution");
  await client.send(
    new UpdateDistributionCommand({ Id: id, IfMatch: ETag, DistributionConfig: change(config) }),
  );
  client.destroy();
}

const withOrigin = (change: object) => (config: DistributionConfig): DistributionConfig => ({
  ...config,
  Origins: { Quantity: 1, Items: (config.Origins?.Items ?? []).map((one) => ({ ...one, ...change })) },
}); // prettier-ignore

const withBehaviour = (change: object) => (config: DistributionConfig): DistributionConfig =>
  ({ ...config, DefaultCacheBehavior: { ...config.DefaultCacheBehavior, ...change } }) as DistributionConfig; // prettier-ignore

const withErrors = (change: object) => (config: DistributionConfig): DistributionConfig => {
  const items = (config.CustomErrorResponses?.Items ?? []).map((one) => ({ ...one, ...change }));
  return { ...config, CustomErrorResponses: { Quantity: items.length, Items: items } };
}; // prettier-ignore

/** A cache policy of somebody else. */
async function makePolicy(name: string, least: number, query: "all" | "none"): Promise<string> {
  const client = clientOf();
  const { CachePolicy } = await client.send(
    new CreateCachePolicyCommand({
      CachePolicyConfig: {
        ...{ Name: name, MinTTL: least, DefaultTTL: 86_400, MaxTTL: 31_536_000 },
        ParametersInCacheKeyAndForwardedToOrigin: {
          ...{ EnableAcceptEncodingGzip: true, EnableAcceptEncodingBrotli: true },
          HeadersConfig: { HeaderBehavior: "none" },
          CookiesConfig: { CookieBehavior: "none" },
          QueryStringsConfig: { QueryStringBehavior: query },
        },
      },
    }),
  );
  client.destroy();
  return CachePolicy?.Id ?? "";
}

const OLDER_WAY = { CachePolicyId: undefined, ForwardedValues: { QueryString: false, Cookies: { Forward: "all" } }, MinTTL: 0 }; // prettier-ignore

test("each way in which a distribution is wrong is told, shown as just that change, made, and checkup is good", async () => {
  sandbox = await RunningSandbox.start([
    ...["--empty", "--certificate", "www.pelican.localhost@2026-01-02", "--certificate", "www.pelican.localhost"],
  ]);
  const project = projectOf({ url: sandbox.facts.edge.replace("127.0.0.1", "www.pelican.localhost") });
  const { distribution: { id = "" } = {} } = await provisionOf(project);
  await project.result(["deliver"]);
  const [queries, minute] = [await makePolicy("theirs", 0, "all"), await makePolicy("theirs-long", 60, "none")];
  const ways: [string, (config: DistributionConfig) => DistributionConfig][] = [
    ["set-origin", withOrigin({ DomainName: "pelican.s3.eu-elsewhere-1.amazonaws.com" })],
    ["set-origin", withOrigin({ OriginPath: "/old" })],
    ["set-origin", withOrigin({ OriginAccessControlId: "" })],
    ["set-root-document", (config) => ({ ...config, DefaultRootObject: "" })],
    ["set-missing-pages", (config) => ({ ...config, CustomErrorResponses: { Quantity: 0 } })],
    ["set-missing-pages", withErrors({ ResponsePagePath: "/index.html", ResponseCode: "200" })],
    ["shorten-errors", withErrors({ ErrorCachingMinTTL: 300 })],
    ["switch-compression-on", withBehaviour({ Compress: false })],
    ["set-plain-http", withBehaviour({ ViewerProtocolPolicy: "https-only" })],
    ["set-methods", withBehaviour({ AllowedMethods: { Quantity: 3, Items: ["GET", "HEAD", "DELETE"], CachedMethods: { Quantity: 2, Items: ["GET", "HEAD"] } } })],
    ["set-cache-keys", withBehaviour({ CachePolicyId: queries })],
    ["set-cache-keys", withBehaviour(OLDER_WAY)],
    ["set-minimum-freshness", withBehaviour({ CachePolicyId: minute })],
    ["add-names", (config) => ({ ...config, Aliases: { Quantity: 0 } })],
    ["switch-on", (config) => ({ ...config, Enabled: false })],
  ];
  const before = await readConfig(id);
  for (const [step, change] of ways) {
    await spoil(id, change);
    const faults = faultsOf(await checkupOf(project, "--dry-run"));
    expect([step, faults]).toEqual([step, expect.arrayContaining(["distribution-otherwise"])]);
    expect(stepsOf(await provisionOf(project, "--dry-run"))).toEqual([step]);
    expect(stepsOf(await provisionOf(project))).toEqual([step]);
    expect([step, faultsOf(await checkupOf(project, "--dry-run"))]).toEqual([step, []]);
    // As it was made, and nothing else touched.
    expect([step, await readConfig(id)]).toEqual([step, before]);
  }
}); // prettier-ignore

async function readConfig(id: string): Promise<DistributionConfig | undefined> {
  const client = clientOf();
  const { DistributionConfig: config } = await client.send(new GetDistributionConfigCommand({ Id: id }));
  client.destroy();
  return config;
}

test("what others have set up stays: their behaviours with their origin, their names, their answers to other errors", async () => {
  sandbox = await RunningSandbox.start(["--certificate", "theirs.localhost"]);
  const { distribution: id } = sandbox.facts;
  const theirs = { PathPattern: "/api/*", TargetOriginId: "store", ViewerProtocolPolicy: "allow-all" as const };
  await spoil(id, (config) => ({
    ...withOrigin({ OriginPath: "/theirs" })(config),
    ...{ Comment: "theirs", CacheBehaviors: { Quantity: 1, Items: [theirs] } },
    CustomErrorResponses: { Quantity: 1, Items: [{ ErrorCode: 500, ErrorCachingMinTTL: 5 }] },
  }));
  const project = projectOf({ edge: `\n      id: ${id}`, store: "" });
  expect(stepsOf(await provisionOf(project))).toEqual(["create-bucket", "set-policy", "set-public-block", "set-origin", "set-missing-pages", "write-settings"]);
  const config = await readConfig(id);
  expect(config).toMatchObject({ Comment: "theirs", CacheBehaviors: { Items: [expect.objectContaining(theirs)] } });
  expect(config?.Origins?.Items?.map(({ OriginPath, DomainName }) => [DomainName?.split(".")[0], OriginPath])).toEqual([["practice", "/theirs"], ["pelican", ""]]);
  expect(config?.CustomErrorResponses?.Items?.map(({ ErrorCode }) => ErrorCode)).toEqual([403, 404, 500]);
}); // prettier-ignore

test("a distribution that was made and not written down is found again; what is known is left to a person where the file can't be written", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const project = projectOf();
  const before = settingsOf(project);
  const { distribution: { id = "" } = {} } = await provisionOf(project);
  // The call died just before it wrote.
  writeFiles(project.folder, { "courier.yaml": before });
  expect(stepsOf(await provisionOf(project))).toEqual(["write-settings"]);
  expect(settingsOf(project)).toContain(`id: ${id}\n`);
  const linked = before.replace("edge: # made", "edge: &edge # made");
  writeFiles(project.folder, { "courier.yaml": `${linked}  staging: { url: "http://127.0.0.1:1", store: { kind: s3, bucket: pelican, region: ${sandbox.facts.region}, endpoint: "${sandbox.facts.endpoint}" }, edge: *edge }\n` });
  const left = await provisionOf(project, "--to", "staging");
  expect(left.byHand).toEqual([expect.objectContaining({ what: expect.stringMatching(/write into courier\.yaml: id: E\w+; query: ignored/) as string })]);
}); // prettier-ignore

test("a missing right, an id that nobody knows, a certificate that there is not, a name of others, and a deployment that takes too long are each said", async () => {
  const file = join(writeFiles(temporaryFolder("policy"), { "policy.json": JSON.stringify({ Statement: [{ Effect: "Allow", Action: ["s3:*", "cloudfront:Get*", "cloudfront:List*", "cloudfront:CreateCachePolicy"], Resource: "*" }] }) }), "policy.json");
  sandbox = await RunningSandbox.start(["--empty", "--policy", file]);
  const { limited: keys } = sandbox.facts;
  const denied = await projectOf(keys ? { keys } : {}).run(["provision", "--yes"]);
  expect([denied.exit, denied.stderr]).toEqual([7, expect.stringContaining("cloudfront:CreateOriginAccessControl")]);
  const unknown = await projectOf({ edge: "\n      id: E0" }).run(["provision", "--yes"]);
  expect([unknown.exit, unknown.stderr]).toEqual([1, expect.stringContaining("there is no distribution E0")]);
  await sandbox.stop();

  sandbox = await RunningSandbox.start(["--empty", "--certificate", "a.pelican.localhost", "--propagation", "5s"]);
  const named = (name: string, more = ""): ProjectHere => projectOf({ url: sandbox.facts.edge.replace("127.0.0.1", name), edge: more });
  const slow = await named("a.pelican.localhost", "\n      confirmWithin: 1s").run(["provision", "--yes"]);
  expect([slow.exit, slow.stderr]).toEqual([5, expect.stringContaining("was not deployed everywhere within 1 s")]);
  const other = named("a.pelican.localhost");
  writeFiles(other.folder, { "courier.yaml": settingsOf(other).replace("bucket: pelican", "bucket: gull") });
  const taken = await other.run(["provision", "--yes"]);
  expect([taken.exit, taken.stderr]).toEqual([1, expect.stringMatching(/another distribution has one of the names.*already associated/)]);
  const nameless = await provisionOf(named("b.pelican.localhost"));
  expect(nameless.byHand).toEqual([expect.objectContaining({ what: "give the distribution the name b.pelican.localhost", why: "there is no certificate for it that is valid" })]);
}); // prettier-ignore

test("who may set up the bucket alone does that; the distribution is left to others, and checkup does not judge it", async () => {
  const Statement = [{ Effect: "Allow", Action: ["s3:*", "cloudfront:*Invalidation"], Resource: "*" }];
  const file = join(writeFiles(temporaryFolder("policy"), { "policy.json": JSON.stringify({ Statement }) }), "policy.json");
  sandbox = await RunningSandbox.start(["--bare", "--policy", file]);
  const { limited: keys, distribution: id } = sandbox.facts;
  const project = projectOf({ ...(keys && { keys }), edge: `\n      id: ${id}` });
  const made = await provisionOf(project);
  expect(stepsOf(made)).toEqual(["create-bucket", "set-policy", "set-public-block"]);
  expect(made.byHand).toEqual([expect.objectContaining({ what: `look at the distribution ${id}, and set it up`, how: expect.stringContaining("cloudfront:GetDistribution") as string })]);
  expect((await checkupOf(project)).links).toContainEqual(expect.objectContaining({ link: "distribution", state: "not-tried" }));
  writeFiles(project.folder, { "courier.yaml": settingsOf(project).replace(sandbox.facts.edgeApi, "http://127.0.0.1:9") });
  expect((await provisionOf(project)).byHand).toEqual([expect.objectContaining({ why: "nobody answers where it is set up (connect ECONNREFUSED 127.0.0.1:9)" })]);
}); // prettier-ignore

test("checkup goes round until what is on its way has arrived, and ends with 1 where it has not", async () => {
  sandbox = await RunningSandbox.start(["--empty"]);
  const project = projectOf();
  const { distribution: { id = "" } = {} } = await provisionOf(project);
  expect((await project.run(["checkup", "--wait", "1h"])).exit).toBe(0);
  await spoil(id, (config) => ({ ...config, Enabled: false }));
  const late = await project.run(["checkup", "--wait", "1s"]);
  expect([late.exit, late.stderr]).toEqual([1, expect.stringMatching(/waiting for [^]*distribution[^]*1 s left/)]);
  expect((await project.run(["checkup", "--wait", "soon"])).exit).toBe(2);
}); // prettier-ignore
