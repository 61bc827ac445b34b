import { existsSync, readdirSync, readFileSync, rmSync } from "node:fs";
import { join, resolve } from "node:path";
import { gunzipSync } from "node:zlib";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, finish, NO_KEYS, Project, RunningSandbox, SECRETS } from "../support/program.ts";

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
  const sources: [string, ProjectHere, NodeJS.ProcessEnv, string][] = [
    [named, new ProjectHere(named, { accessKeyId: "NOBODY", secretAccessKey: "wrong" }), shared, accessKeyId],
    ["shared profile by its variable", new ProjectHere(sandbox.settings(`${BUILDS}/1`), NO_KEYS), { ...shared, AWS_PROFILE: "ferries" }, accessKeyId],
    ["web identity", new ProjectHere(sandbox.settings(`${BUILDS}/2`), NO_KEYS), web, "SANDBOXLENTKEY"],
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
  const project = new ProjectHere(settings, facts);
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
  const { exit, stderr } = await new ProjectHere(settings, sandbox.facts).run(["compare"]);
  expect([exit, stderr]).toEqual([2, expect.stringContaining("//[hidden]@")]);
});

/** Profiles as people have them, and as they go wrong. */
const PROFILES = `
[profile helped]
credential_process = sh helper print
[profile fails]
credential_process = sh helper fail
[profile junk]
credential_process = sh helper junk
[profile past]
credential_process = sh helper past
[profile slow]
credential_process = sh helper slow
[profile no-source]
role_arn = arn:aws:iam::1:role/deliver
source_profile = nobody
[profile first]
role_arn = arn:aws:iam::1:role/deliver
source_profile = second
[profile second]
role_arn = arn:aws:iam::1:role/deliver
source_profile = first
[profile by-helper]
role_arn = arn:aws:iam::1:role/deliver
source_profile = fails
[profile with-code]
role_arn = arn:aws:iam::1:role/deliver
source_profile = helped
mfa_serial = arn:aws:iam::1:mfa/pilot
[profile office]
sso_session = office
sso_account_id = 1
sso_role_name = deliver
[sso-session office]
sso_start_url = https://office.pelican.test/start
sso_region = eu-1
[profile region-only]
region = eu-1
`;

const HELPER = `echo "$1" >> calls
case $1 in
  print) echo "{\\"Version\\":1,\\"AccessKeyId\\":\\"$KEY\\",\\"SecretAccessKey\\":\\"$KEPT\\"}" ;;
  fail) echo "your login of 9 am has ended, token T0KENlike12345678" >&2; exit 3 ;;
  junk) echo "{}" ;;
  past) echo '{"Version":1,"AccessKeyId":"a","SecretAccessKey":"secret-of-a-test","Expiration":"2020-01-01T00:00:00Z"}' ;;
  slow) echo "$$" > slow; exec sleep 60 ;;
esac
`;

/** Its credentials come from a profile of this name. */
async function openProfiled() {
  sandbox = await RunningSandbox.start();
  const { accessKeyId, secretAccessKey } = sandbox.facts;
  const project = new Project("", NO_KEYS);
  writeFiles(project.folder, { profiles: PROFILES, helper: HELPER });
  const environment = { AWS_CONFIG_FILE: join(project.folder, "profiles"), KEY: accessKeyId, KEPT: secretAccessKey, HOME: project.folder }; // prettier-ignore
  const say = (profile: string): string[] => {
    const settings = sandbox.settings(`${BUILDS}/1`, `    url: ${sandbox.facts.edge}/\n    edge: { kind: distribution, id: SANDBOX0000001, endpoint: "${sandbox.facts.edgeApi}", profile: ${profile}, ${AT_ONCE} }`); // prettier-ignore
    writeFiles(project.folder, { "courier.yaml": settings.replace("kind: s3,", `kind: s3, profile: ${profile},`) }); // prettier-ignore
    return ["deliver"];
  };
  const takeCalls = (): string[] => {
    const file = join(project.folder, "calls");
    const calls = existsSync(file) ? readFileSync(file, "utf8").trim().split("\n") : [];
    rmSync(file, { force: true });
    return calls;
  };
  return { project, environment, say, takeCalls };
}

test("a profile's way to credentials: which step failed, the helper's own words without secrets, and each helper once", async () => {
  const { project, environment, say, takeCalls } = await openProfiled();
  const helper = "its helper (credential_process)";
  const ways: [string, string, string[]][] = [
    ["fails", `profile fails: ${helper} ended with 3, and said “your login of 9 am has ended, token [hidden]”`, ["fail"]],
    ["junk", `profile junk: ${helper} printed no credentials (JSON with Version 1, AccessKeyId and SecretAccessKey)`, ["junk"]],
    ["past", `profile past: ${helper} printed credentials that have expired (2020-01-01T00:00:00Z)`, ["past"]],
    ["by-helper", `profile fails: ${helper} ended with 3`, ["fail"]],
    ["no-source", "profile no-source takes its role with the profile nobody, and there is none of that name", []],
    ["first", "the profiles lead in a circle by source_profile: first, second, first", []],
    ["with-code", "profile with-code asks for a code of a device (mfa_serial)", []],
    ["office", "profile office: nobody is logged in by single sign-on, or the login has ended", []],
    ["region-only", "profile region-only says nothing of how to get credentials, and there are none elsewhere", []],
    ["unheard-of", "there is no profile unheard-of in ", []],
  ]; // prettier-ignore
  for (const [profile, why, calls] of ways) {
    const { exit, stderr } = await project.run(say(profile), environment);
    expect([profile, exit, stderr]).toEqual([profile, 7, expect.stringContaining(`no credentials were found: ${why}`)]); // prettier-ignore
    expect([profile, takeCalls()]).toEqual([profile, calls]);
  }
  // The store and the edge ask for the same.
  expect((await project.run(say("helped"), environment)).exit).toBe(0);
  expect(takeCalls()).toEqual(["print"]);
  // Without a region and an address there is nowhere to ask.
  writeFiles(project.folder, { "nowhere.yaml": `site: p\nbuild: { folder: "${BUILDS}/1" }\ndestinations:\n  live: { store: { kind: s3, bucket: b, profile: helped } }\n` }); // prettier-ignore
  const nowhere = await project.run(["deliver", "--settings", "nowhere.yaml"], environment);
  expect([nowhere.exit, nowhere.stderr]).toEqual([2, expect.stringContaining("neither store.region nor store.endpoint, and no region is set")]); // prettier-ignore
});

test.each([
  ["SIGINT", 130],
  ["SIGTERM", 143],
  ["SIGHUP", 129],
] as const)("%s ends the wait for a helper at once", async (signal, exit) => {
  const { project, environment, say } = await openProfiled();
  const child = project.start(say("slow"), environment);
  const outcome = finish(child);
  const file = join(project.folder, "slow");
  while (!existsSync(file) || readFileSync(file, "utf8") === "") await new Promise((done) => setTimeout(done, 20)); // prettier-ignore
  child.kill(signal);
  expect((await outcome).exit).toBe(exit);
  // It was started by a shell, and may have heard of nothing.
  process.kill(Number(readFileSync(file, "utf8")), "SIGKILL");
});
