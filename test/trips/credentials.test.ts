import { readdirSync, readFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { gunzipSync } from "node:zlib";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { AT_ONCE, NO_KEYS, Project, RunningSandbox, SECRETS } from "../support/program.ts";

const BUILDS = resolve("demo/builds");

let sandbox: RunningSandbox;
afterEach(() => sandbox.stop());

/** Every file below a folder that holds a secret, compressed records looked into. */
function findSecrets(folder: string): string[] {
  const names = readdirSync(folder, { recursive: true, withFileTypes: true }).filter((entry) =>
    entry.isFile(),
  );
  expect(names.length).toBeGreaterThan(3);
  return names.flatMap(({ parentPath, name }) => {
    const file = join(parentPath, name);
    const bytes = readFileSync(file);
    const content = bytes[0] === 0x1f && bytes[1] === 0x8b ? gunzipSync(bytes) : bytes;
    return SECRETS.some((secret) => content.includes(secret)) ? [file] : [];
  });
}

test("credentials come from the environment, a shared profile, or a web identity, and a profile that is named goes first", async () => {
  sandbox = await RunningSandbox.start();
  const { accessKeyId, secretAccessKey, endpoint } = sandbox.facts;
  const folder = writeFiles(temporaryFolder("credentials"), {
    shared: `[default]\naws_access_key_id = NOBODY\naws_secret_access_key = wrong\n[ferries]\naws_access_key_id = ${accessKeyId}\naws_secret_access_key = ${secretAccessKey}\n`,
    token: "proves who this run is",
  });
  const named = sandbox.settings(`${BUILDS}/1`).replace("kind: s3,", "kind: s3, profile: ferries,");
  const shared = { AWS_SHARED_CREDENTIALS_FILE: join(folder, "shared") };
  const web = { AWS_ROLE_ARN: "arn:aws:iam::1:role/deliver", AWS_WEB_IDENTITY_TOKEN_FILE: join(folder, "token"), AWS_ENDPOINT_URL_STS: endpoint, AWS_REGION: "eu-sandbox-1" }; // prettier-ignore
  const sources: [string, Project, NodeJS.ProcessEnv, string][] = [
    [named, new Project(named, { accessKeyId: "NOBODY", secretAccessKey: "wrong" }), shared, accessKeyId],
    ["shared profile by its variable", new Project(sandbox.settings(`${BUILDS}/1`), NO_KEYS), { ...shared, AWS_PROFILE: "ferries" }, accessKeyId],
    ["web identity", new Project(sandbox.settings(`${BUILDS}/2`), NO_KEYS), web, "SANDBOXLENTKEY"],
  ]; // prettier-ignore
  for (const [name, project, environment, key] of sources) {
    const { exit, stderr } = await project.run(["deliver"], environment);
    // Nor does a library say anything of its own, where the environment has keys as well.
    expect([name, exit, /failed|WARNING/.exec(stderr)]).toEqual([name, 0, null]);
    const signed = sandbox.takeLedger().filter(({ operation }) => operation === "ListObjectsV2");
    expect(new Set(signed.map(({ identity }) => identity))).toEqual(new Set([key]));
  }
  expect(findSecrets(sandbox.data)).toEqual([]);
});

test("no secret is printed or recorded, whatever goes wrong and wherever it got into", async () => {
  sandbox = await RunningSandbox.start();
  const { facts } = sandbox;
  const [token, summary, output] = ["secret-of-a-test", "summary.md", "result.json"];
  const environment = { DEPLOY_TOKEN: token, GITHUB_ACTIONS: "true", GITHUB_STEP_SUMMARY: summary };
  const settings = sandbox.settings(`${BUILDS}/1`, `    edge: { kind: purge, url: "http://127.0.0.1:9", token: "${facts.purgeToken}", ${AT_ONCE} }\n    url: http://127.0.0.1:9/`); // prettier-ignore
  const project = new Project(settings, facts);
  // A person put one where it is shown.
  const shown = settings.replace("site: Pelican", 'site: "${DEPLOY_TOKEN}" # Pelican');
  writeFiles(project.folder, { "shown.yaml": shown });
  // Each outcome is searched for secrets where it comes in (support/program.ts).
  const calls: [number, string[], NodeJS.ProcessEnv?][] = [
    [0, ["compare", "--verbose", "--settings", "shown.yaml"]],
    [5, ["deliver", "--verbose", "--note", `with ${token}`, "--commit", token]],
    [5, ["deliver", "--build", `${BUILDS}/2`, "--format", "ndjson"]],
    [5, ["verify", "--format", "junit"]],
    [3, ["deliver", "--settings", "shown.yaml"]],
    [5, ["deliver", "--settings", "shown.yaml", "--allow", "other-site"]],
    [1, ["checkup", "--format", "json", "--output", output, "--settings", "shown.yaml"]],
    [2, ["explain", `/${token}`]],
    [2, ["compare", "--to", token]],
    [7, ["compare", "--verbose"], { AWS_SECRET_ACCESS_KEY: "secret-of-a-test, and a wrong one" }],
    [7, ["compare", "--format", "json"], { AWS_ACCESS_KEY_ID: "", AWS_SECRET_ACCESS_KEY: "" }],
    [7, ["compare"], { AWS_SESSION_TOKEN: "secret-of-a-test that is not known" }],
    [7, ["compare"], { AWS_ACCESS_KEY_ID: "", AWS_WEB_IDENTITY_TOKEN_FILE: "none", AWS_ROLE_ARN: "arn:aws:iam::1:role/x", AWS_REGION: "r" }],
  ]; // prettier-ignore
  for (const [exit, args, more] of calls) {
    const outcome = await project.run(args, { ...environment, ...more });
    expect([args, outcome.exit, outcome.stderr]).toEqual([args, exit, expect.any(String)]);
  }
  const written = [summary, output].map((file) => readFileSync(join(project.folder, file), "utf8"));
  expect(written.join()).toContain("[hidden]");
  for (const secret of SECRETS) expect(written.join()).not.toContain(secret);
  expect(findSecrets(sandbox.data)).toEqual([]);
});

test("a password in an address is refused, and not shown", async () => {
  sandbox = await RunningSandbox.start();
  const settings = sandbox.settings(`${BUILDS}/1`).replace("http://", "http://pilot:secret-of-a-test@");
  const { exit, stderr } = await new Project(settings, sandbox.facts).run(["compare"]);
  expect([exit, stderr]).toEqual([2, expect.stringContaining("//[hidden]@")]);
});
