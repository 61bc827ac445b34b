import { readFileSync, readdirSync, statSync, symlinkSync, writeFileSync } from "node:fs";
import { request } from "node:http";
import { join } from "node:path";
import { gunzipSync } from "node:zlib";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { startFoulServer } from "../support/foul-server.ts";
import { NO_KEYS, Project, RunningSandbox } from "../support/program.ts";
import { listKeys, openStore } from "../support/stored-site.ts";
import { readWhole } from "../../src/ports/read-whole.ts";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
});
afterAll(() => sandbox.stop());

const build = writeFiles(temporaryFolder("build"), { "index.html": "<p>ferry</p>" });

/** A profile that people share, in a file of its own. */
const PROFILE = {
  key: "HARBOURKEY",
  secret: "a+secret/of&the<harbour>",
  token: "a-session-token-of-the-harbour",
} as const;

function withProfile(project: Project, { key, secret, token }: { key: string; secret: string; token?: string }): NodeJS.ProcessEnv {
  const file = join(project.folder, "shared-credentials");
  const lines = [`aws_access_key_id = ${key}`, `aws_secret_access_key = ${secret}`, ...(token === undefined ? [] : [`aws_session_token = ${token}`])];
  writeFileSync(file, `[default]\n${lines.join("\n")}\n`);
  return { AWS_SHARED_CREDENTIALS_FILE: file, AWS_ACCESS_KEY_ID: undefined, AWS_SECRET_ACCESS_KEY: undefined };
} // prettier-ignore

test("a store that echoes what it was sent, and an edge's token, get no secret into any output", async () => {
  const echo = await startFoulServer((incoming, response) => {
    const { token, secret } = PROFILE;
    const said = `${String(incoming.headers["x-amz-security-token"])} ${token} ${secret} and %2B ${encodeURIComponent(secret)} tide-token-of-the-edge value-of-a-variable`;
    response.writeHead(403, { "content-type": "application/xml", "x-amz-request-id": token });
    response.end(`<Error><Code>AccessDenied</Code><Message>${said.replace(/&/g, "&amp;").replace(/</g, "&lt;")}</Message></Error>`);
  });
  const settings = [
    "site: Pelican Sound Ferries",
    `build: { folder: ${JSON.stringify(build)} }`,
    'headers: [{ files: "**", set: { x-amz-meta-a: "${VARIABLE}" } }]',
    "destinations:",
    "  practice:",
    `    url: ${echo}`,
    `    store: { kind: s3, bucket: harbour, endpoint: "${echo}" }`,
    `    edge: { kind: purge, url: "${echo}", token: tide-token-of-the-edge }`,
    "",
  ].join("\n");
  const project = new Project(settings, NO_KEYS);
  const environment = { ...withProfile(project, PROFILE), VARIABLE: "value-of-a-variable" };
  const calls = [
    ["deliver", "--verbose", "--note", PROFILE.token],
    ["deliver", "--format", "json", "--output", "result.json"],
    ["deliver", "--format", "ndjson", "--summary", "summary.md"],
    ["verify", "--format", "junit", "--output", "junit.xml"],
    ["checkup", "--verbose"],
    ["checkup", "--format", "json"],
    ["provision", "--dry-run"],
    ["releases", "--format", "json"],
  ];
  for (const call of calls) {
    const { exit, stdout, stderr } = await project.run(call, environment);
    const files = readdirSync(project.folder).filter((name) => /^(result|summary|junit)/.test(name));
    const all = [stdout, stderr, ...files.map((name) => readFileSync(join(project.folder, name), "utf8"))].join("\n");
    const { token, secret } = PROFILE;
    const found = [token, secret, encodeURIComponent(secret), secret.replace("&", "&amp;"), "tide-token", "value-of-a-variable"].filter((one) => all.includes(one));
    expect([call, exit, found]).toEqual([call, exit, []]);
    expect([call, exit]).not.toEqual([call, 70]);
  }
}); // prettier-ignore

test("a secret that somebody puts into a note or a commit is not written down, whether a profile or a variable has it", async () => {
  const text = `${sandbox.settings(build)}headers: [{ files: "*.nothing", set: { x-amz-meta-a: "\${VARIABLE}" } }]\n`;
  const project = new Project(text, NO_KEYS);
  const { accessKeyId: key, secretAccessKey: secret } = sandbox.facts;
  const environment = { ...withProfile(project, { key, secret }), VARIABLE: "value-of-a-variable" };
  const note = ["--note", `with ${secret}`, "--commit", "value-of-a-variable"];
  const { exit } = await project.run(["deliver", ...note], environment);
  expect(exit).toBe(0);
  const store = openStore(sandbox, "");
  const own = (await listKeys(store)).filter((name) => name.startsWith(".courier/releases/"));
  expect(own).toHaveLength(1);
  for (const name of own) {
    const found = await store.get(name);
    const record = gunzipSync(await readWhole(found as NonNullable<typeof found>, name)).toString("utf8");
    expect(record).toContain('"note":"with [hidden]"');
    expect(record).not.toContain(secret);
    expect(record).not.toContain("value-of-a-variable");
  }
});

test("setup writes no credentials that others can read, and nothing through a link to where nothing is", async () => {
  const project = new Project("", NO_KEYS);
  writeFiles(project.folder, { ".courier-sandbox/credentials": "[sandbox]\n" });
  const { exit } = await project.run(["setup", "--sandbox", "--build", "dist", "--settings", "practice.yaml", "--site", "Ferries"]);
  expect(exit).toBe(0);
  expect(statSync(join(project.folder, ".courier-sandbox/credentials")).mode & 0o777).toBe(0o600);
  const elsewhere = join(temporaryFolder("elsewhere"), "made.yaml");
  symlinkSync(elsewhere, join(project.folder, "linked.yaml"));
  const refused = await project.run(["setup", "--sandbox", "--build", "dist", "--settings", "linked.yaml", "--site", "Ferries"]);
  expect([refused.exit, refused.stderr]).toEqual([2, expect.stringContaining("it is a link that leads to nothing")]);
  expect(() => statSync(elsewhere)).toThrow();
}); // prettier-ignore

test("the sandbox answers nobody who comes under another name: a page on the web can let its own lead to loopback", async () => {
  const { endpoint, edge, edgeApi } = sandbox.facts;
  const ask = (address: string, host: string): Promise<number | undefined> =>
    new Promise((resolve, reject) => {
      request(address, { headers: { host } }, (response) => {
        response.resume();
        resolve(response.statusCode);
      })
        .once("error", reject)
        .end();
    });
  for (const address of [endpoint, edge, edgeApi])
    for (const host of ["elsewhere.dev", "127.0.0.1.elsewhere.dev", "localhost.elsewhere.dev:80", "10.0.0.1"])
      expect([host, await ask(address, host)]).toEqual([host, 421]);
  for (const host of ["localhost", "127.0.0.1:8450", "[::1]:80", "www.pelicansound.example", "a.preview.localhost:8460"])
    expect([host, await ask(edge, host)]).not.toEqual([host, 421]);
}); // prettier-ignore
