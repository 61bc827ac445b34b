import { join } from "node:path";
import { stringify } from "yaml";
import type { CheckupResult } from "../../src/results/checkup.ts";
import { createS3Bucket } from "../../src/adapters/stores/s3/bucket.ts";
import { toDeliveryPolicy } from "../../src/core/bucket/policies.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { Project, RunningSandbox } from "../support/program.ts";
import { listKeys, openStore } from "../support/stored-site.ts";
import { readResult } from "../support/results.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();
const BUILD = `${BUILDS}/1`;
const NOWHERE = "http://127.0.0.1:9";
const DELIVERY = toDeliveryPolicy({
  bucket: "practice",
  prefix: "",
  ownsWebsite: false,
  distributions: ["SANDBOX0000001"],
});

let sandbox: RunningSandbox | undefined;
afterEach(() => sandbox?.stop());

const writeFile = (name: string, content: unknown): string =>
  join(writeFiles(temporaryFolder("file"), { [name]: stringify(content) }), name);

/** The policy of the delivering identity with one right less. */
const policyWithout = (right: string): string =>
  join(
    writeFiles(temporaryFolder("policy"), {
      "policy.json": JSON.stringify({
        Statement: DELIVERY.Statement.map((one) => ({
          ...one,
          Action: [one.Action].flat().filter((action) => action !== right),
        })),
      }),
    }),
    "policy.json",
  );

/** Lets the edge read the whole bucket, the tool's own part included. */
const EVERYTHING = {
  Effect: "Allow",
  Principal: { Service: "cloudfront.amazonaws.com" },
  Action: "s3:GetObject",
  Resource: "arn:aws:s3:::practice/*",
  Condition: { StringLike: { "AWS:SourceArn": "arn:aws:cloudfront::*:distribution/SANDBOX0000001" } },
};

const faults = (...rules: object[]): string[] => ["--faults", writeFile("faults.yaml", { rules })];

interface Setup {
  /** Of the sandbox. */
  readonly args?: readonly string[];
  readonly store?: object;
  readonly edge?: object;
  readonly url?: string;
  readonly keys?: { readonly accessKeyId: string; readonly secretAccessKey: string };
  /** What happens before: a delivery, a bucket with a policy of its own. */
  readonly before?: "deliver" | { readonly policy?: object };
  readonly environment?: NodeJS.ProcessEnv;
  /** Options of the call. */
  readonly call?: readonly string[];
}

const BROKEN: readonly (readonly [what: string, setup: Setup, link: string, cause: string, said: string])[] = [
  ["no credentials anywhere", { keys: { accessKeyId: "", secretAccessKey: "" } }, "credentials", "no-credentials", "profile"],
  ["a secret that belongs to another key", { keys: { accessKeyId: "SANDBOXPRACTICEKEY", secretAccessKey: "wrong" } }, "credentials", "credentials-refused", "the environment"],
  ["a store that is not running", { store: { endpoint: NOWHERE } }, "store", "nobody-listens", "port"],
  ["the edge's address in place of the store's", { store: { endpoint: "EDGE" } }, "store", "not-a-store", "where visitors read"],
  ["a clock that is off", { args: faults({ fault: "skew" }) }, "clock", "clock-off", "set the clock"],
  ["a bucket that is not there", { store: { bucket: "practise" } }, "bucket", "no-bucket", "rcourier provision"],
  ["a bucket in another region", { store: { region: "us-east-1" } }, "bucket", "wrong-region", "eu-sandbox-1"],
  ["an identity that may not remove", { args: ["--policy", policyWithout("s3:DeleteObject")] }, "rights", "right-missing", "s3:DeleteObject"],
  ["an identity that may not list", { args: ["--policy", policyWithout("s3:ListBucket")] }, "rights", "right-missing", "s3:ListBucket"],
  ["an identity that may not write", { args: ["--policy", policyWithout("s3:PutObject")] }, "rights", "right-missing", "s3:PutObject"],
  ["records that everybody reads", { before: { policy: { Effect: "Allow", Principal: "*", Action: "s3:GetObject", Resource: "arn:aws:s3:::practice/*" } } }, "records", "records-open", "rcourier provision"],
  ["an edge that may read everything", { args: ["--bare"], before: { policy: EVERYTHING } }, "records", "records-served", "deny .courier/"],
  ["a bucket without a website", { args: ["--origin", "website", "--bare"], before: {}, store: { serves: "website" } }, "reading", "endpoint-without-website", "rcourier provision"],
  ["a bucket that nobody may read", { args: ["--bare"], before: {} }, "reading", "store-denies", "SANDBOX0000001"],
  ["a bucket that the public may not read", { args: ["--bare"], before: {}, store: { readers: "public" } }, "reading", "store-denies", "everybody"],
  ["a policy for another distribution", { args: ["--bare"], before: { policy: { Sid: "ReadTheSite", Effect: "Allow", Principal: { Service: "cloudfront.amazonaws.com" }, Action: "s3:GetObject", Resource: "arn:aws:s3:::practice/*", Condition: { StringLike: { "AWS:SourceArn": "arn:aws:cloudfront::*:distribution/OTHER" } } } } }, "reading", "store-denies", "SANDBOX0000001"],
  ["an edge before another path", { args: ["--trait", "origin-prefix=web/"] }, "reading", "other-path", "web/courier-probe"],
  ["an edge before another bucket", { args: ["--bare", "--bucket", "other"], before: {} }, "reading", "other-bucket", "practice"],
  ["an edge that can't reach its origin", { args: faults({ fault: "server-error", at: "origin" }) }, "reading", "origin-unreachable", "502"],
  ["an endpoint that resolves no index documents", { store: { serves: "website" } }, "folders", "no-index-documents", "website endpoint"],
  ["a forgotten root document", { args: ["--trait", "no-root-document"], before: "deliver" }, "root document", "no-root-document", "index.html"],
  ["an entry page for everything", { args: ["--client-routes"], before: "deliver" }, "missing pages", "missing-is-answered", "clientRoutes"],
  ["a name without an address", { url: `http://${"a".repeat(64)}.localhost` }, "name", "name-unknown", "DNS"],
  ["a certificate that has expired", { args: ["--tls", "expired"] }, "certificate", "certificate-expired", "renew"],
  ["a certificate for another name", { args: ["--tls", "other-name"], environment: { NODE_EXTRA_CA_CERTS: "CERTIFICATE" } }, "certificate", "certificate-other-name", "elsewhere.localhost"],
  ["a certificate that nobody trusts", { args: ["--tls", "good"] }, "certificate", "certificate-untrusted", "public authority"],
  ["plain http where https is said", { url: "SECURE" }, "certificate", "no-tls", "http://"],
  ["an edge that is not there", { url: NOWHERE }, "edge", "nobody-answers", "nothing answers"],
  ["an identity that may not invalidate", { args: ["--policy", policyWithout("cloudfront:CreateInvalidation")] }, "forgetting", "may-not-invalidate", "rcourier policy"],
  ["another distribution's id", { edge: { id: "OTHER" } }, "forgetting", "edge-unknown", "edge.id"],
  ["an edge that loses invalidations", { args: faults({ fault: "lost-invalidation", at: "edge-api" }) }, "forgetting", "still-old", "another cache"],
  ["patterns that the cache does not know", { edge: { kind: "purge", patterns: "path", encodings: [] } }, "forgetting", "patterns-unknown", "patterns: none"],
  ["a minimum that the settings deny", { args: ["--trait", "minimum-freshness=60"], edge: { minimumFreshness: "0s" } }, "habits", "habits-otherwise", "minimumFreshness"],
  ["queries that are kept apart against the settings", { args: ["--query", "keyed"], edge: { query: "ignored" } }, "habits", "habits-otherwise", "query: keyed"],
]; // prettier-ignore

async function checkUp(setup: Setup): Promise<{ exit: number | null; result: CheckupResult }> {
  const { args = [], before, environment = {} } = setup;
  sandbox = await RunningSandbox.start(args);
  const { facts, data } = sandbox;
  const fill = (text: string): string =>
    text
      .replace("EDGE", facts.edge)
      .replace("SECURE", facts.edge.replace("http:", "https:"))
      .replace("CERTIFICATE", join(data, "edge-certificate.pem"));
  const { endpoint, region, edgeApi, distribution } = facts;
  const atOnce = { settle: "0s", longestFetch: "0s" };
  const edge = {
    kind: "distribution",
    id: distribution,
    endpoint: edgeApi,
    ...atOnce,
    ...setup.edge,
  } as Record<string, unknown>;
  const purge = { url: facts.edge, token: facts.purgeToken, ...atOnce, ...setup.edge };
  const store = { kind: "s3", bucket: "practice", endpoint, region, ...setup.store };
  const destination = {
    url: fill(setup.url ?? facts.edge.replace("127.0.0.1", "localhost")),
    store: { ...store, endpoint: fill(store.endpoint) },
    edge: edge.kind === "purge" ? purge : edge,
  };
  const settings = {
    site: "Pelican Sound Ferries",
    build: { folder: BUILD },
    destinations: { practice: destination },
  };
  // What a process trusts it reads when it starts.
  const Kind = setup.environment === undefined ? ProjectHere : Project;
  const project = new Kind(stringify(settings), setup.keys ?? facts.limited ?? facts);
  const filled = Object.entries(environment).map(([name, value]) => [name, fill(value ?? "")]);
  if (before === "deliver") await project.run(["deliver"]);
  else if (before) await prepareBucket(sandbox, before.policy);
  const json = await project.run(
    ["checkup", "--format", "json", ...(setup.call ?? [])],
    Object.fromEntries(filled) as NodeJS.ProcessEnv,
  );
  return { exit: json.exit, result: readResult("checkup", json.stdout) };
}

async function prepareBucket({ facts }: RunningSandbox, statement: object | undefined): Promise<void> {
  Object.assign(process.env, {
    AWS_ACCESS_KEY_ID: facts.accessKeyId,
    AWS_SECRET_ACCESS_KEY: facts.secretAccessKey,
  });
  const { endpoint, region } = facts;
  const bucket = createS3Bucket({ bucket: "practice", prefix: "", endpoint, region, addressing: "path" });
  if (!(await bucket.isThere())) await bucket.create();
  if (statement) await bucket.writePolicy({ Version: "2012-10-17", Statement: [statement as never] });
  bucket.close();
}

test.each(BROKEN)(
  "%s: checkup names the link, the cause and the mend",
  async (_, setup, link, cause, said) => {
    const { exit, result } = await checkUp(setup);
    const broken = result.links.filter(({ state }) => state === "broken");
    expect([exit, broken]).toEqual([1, expect.arrayContaining([expect.objectContaining({ link, cause })])]);
    const found = broken.find((one) => one.cause === cause);
    expect(`${found?.found} ${found?.why} ${found?.mend}`).toContain(said);
  },
);

test("a set-up that is whole is said to be so, at an edge with TLS, too; the probes are gone", async () => {
  const { exit, result } = await checkUp({
    args: ["--tls", "good"],
    environment: { NODE_EXTRA_CA_CERTS: "CERTIFICATE" },
    edge: { minimumFreshness: "0s", query: "ignored" },
    before: "deliver",
  });
  const others = result.links.filter(({ state }) => state !== "good");
  expect([exit, others.map(({ link, state }) => [link, state])]).toEqual([0, [["website", "not-tried"]]]);
  const probes = (sandbox?.takeLedger() ?? []).filter(({ key }) => key?.includes("probe-"));
  const standing = probes.reduce((keys, { operation, key = "" }) => {
    if (operation === "PutObject" || operation === "CopyObject") keys.add(key);
    return keys;
  }, new Set<string>());
  expect(standing.size).toBeGreaterThanOrEqual(5);
  const store = openStore(sandbox as RunningSandbox, "");
  expect((await listKeys(store)).filter((key) => standing.has(key))).toEqual([]);
  store.close();
});

test("records that an edge hands out stop the next delivery, until it is told otherwise", async () => {
  sandbox = await RunningSandbox.start(["--bare"]);
  await prepareBucket(sandbox, EVERYTHING);
  const project = new ProjectHere(sandbox.settings(BUILD, `    url: ${sandbox.facts.edge}`), sandbox.facts);
  await project.result(["deliver"]);
  const call = ["deliver", "--build", `${BUILDS}/2`];
  const refused = await project.run(call);
  expect([refused.exit, refused.stderr]).toEqual([3, expect.stringMatching(/anybody can read this tool's records at the site's address[^\n]*\n.*\(exposed\)/)]); // prettier-ignore
  expect(await project.result([...call, "--allow", "exposed"])).toMatchObject({ release: 2 });
  // The way back is not barred: what is exposed is exposed already.
  expect(await project.result(["redeliver", "1"])).toMatchObject({ release: 3, redelivers: 1 });
});

test("with --dry-run it only asks", async () => {
  const { result } = await checkUp({ call: ["--dry-run"] });
  expect(result.links).toContainEqual(expect.objectContaining({ link: "forgetting", state: "not-tried" }));
  expect(result.links.filter(({ state }) => state === "broken")).toEqual([]);
  const methods = (sandbox?.takeLedger() ?? []).map(({ method }) => method);
  expect(methods.length).toBeGreaterThan(1);
  expect(methods.filter((method) => method !== "GET" && method !== "HEAD")).toEqual([]);
});
