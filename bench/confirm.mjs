// 10,000 changed addresses, all read back in every form: on the sandbox's edge and on Varnish (root, from Debian's packages).
// Builds first: node scripts/build.mjs && node bench/confirm.mjs [sandbox|varnish]
import { execFileSync, spawn } from "node:child_process";
import { chmodSync, mkdtempSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import { createInterface } from "node:readline";
import { report } from "./measure.mjs";

const PAGES = 10_000;
const PROGRAM = resolve("dist/main.js");
const SCRIPTS = resolve("test/servers/scripts");

const work = mkdtempSync(join(tmpdir(), "courier-confirm-"));
// The cache gives up being root.
chmodSync(work, 0o755);
const environment = {
  PATH: process.env.PATH,
  HOME: work,
  AWS_EC2_METADATA_DISABLED: "true",
  AWS_CONFIG_FILE: join(work, "none"),
  AWS_SHARED_CREDENTIALS_FILE: join(work, "none"),
};

const writeSite = (text) => {
  const folder = join(work, "build");
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, "index.html"), `<!doctype html><title>${text}</title>`);
  for (let page = 1; page < PAGES; page++)
    writeFileSync(
      join(folder, `page-${page}.html`),
      `<!doctype html><title>${page}</title>${`<p>${text}`.repeat(50)}`,
    );
  return folder;
};

/** @returns what the program says, or nothing but its exit code where that is not 0 or 5 */
function deliver(credentials) {
  return new Promise((done, fail) => {
    const child = spawn(process.execPath, [PROGRAM, "deliver", "--format", "json"], {
      cwd: work,
      env: { ...environment, ...credentials },
      stdio: ["ignore", "pipe", "pipe"],
    });
    let [out, err] = ["", ""];
    child.stdout.on("data", (chunk) => (out += chunk));
    child.stderr.on("data", (chunk) => (err += chunk));
    child.once("close", (exit) => {
      if (exit === 0 || exit === 5) done({ exit, ...JSON.parse(out) });
      else fail(new Error(`exit ${exit}: ${out}${err}`));
    });
  });
}

const writeSettings = (destination) => {
  writeFileSync(
    join(work, "courier.yaml"),
    `site: Pelican Sound Ferries\nbuild: { folder: build }\ndestinations:\n  bench:\n${destination}`,
  );
};

async function measure(name, { settings, credentials, countRequests }) {
  for (const confirm of ["all", "60s"]) {
    writeSettings(settings(confirm === "all" ? ", confirm: all" : ""));
    writeSite(`before ${confirm}`);
    await deliver(credentials);
    writeSite(`after ${confirm}`);
    const before = await countRequests?.();
    const started = performance.now();
    const { exit, invalidation, phases } = await deliver(credentials);
    const [edge] = invalidation.edges;
    report(
      `confirmation of ${PAGES} addresses, ${name}, confirm: ${confirm === "all" ? "all" : "a minute"}`,
      {
        exit,
        addresses: edge.addresses,
        read: edge.read.addresses,
        forms: edge.read.forms,
        confirmed: edge.confirmed,
        owed: invalidation.owed.length,
        requests: before === undefined ? null : (await countRequests()) - before,
        invalidateSeconds: Math.round(
          phases.find(({ name: phase }) => phase === "invalidate")?.seconds ?? -1,
        ),
        allSeconds: Math.round((performance.now() - started) / 1000),
      },
    );
  }
}

async function onSandbox() {
  const child = spawn(
    process.execPath,
    [
      PROGRAM,
      "sandbox",
      "--data",
      join(work, "sandbox"),
      "--store-port",
      "0",
      "--edge-port",
      "0",
      "--format",
      "json",
    ],
    { stdio: ["ignore", "pipe", "inherit"], env: environment },
  );
  const facts = JSON.parse(
    await new Promise((done) => createInterface({ input: child.stdout }).once("line", done)),
  );
  const { endpoint, bucket, region, edge, pops, purgeToken, accessKeyId, secretAccessKey } = facts;
  await measure("the sandbox", {
    credentials: { AWS_ACCESS_KEY_ID: accessKeyId, AWS_SECRET_ACCESS_KEY: secretAccessKey },
    settings: (more) =>
      `    url: ${edge}\n    store: { kind: s3, endpoint: "${endpoint}", bucket: ${bucket}, region: ${region} }\n    edge: { kind: purge, nodes: ${JSON.stringify(pops)}, token: ${purgeToken}, query: ignored, longestFetch: 1s${more} }\n`,
  });
  child.kill();
}

async function onVarnish() {
  const root = join(work, "root");
  mkdirSync(root);
  const origin = createServer((request, response) => {
    const path = request.url === "/" ? "/index.html" : request.url;
    try {
      if (path.startsWith("/.courier")) throw new Error("kept back");
      const body = readFileSync(join(root, path));
      response.writeHead(200, { "cache-control": "public, max-age=0, s-maxage=86400" }).end(body);
    } catch {
      response.writeHead(404).end("not found");
    }
  });
  await new Promise((done) => origin.listen(0, "127.0.0.1", done));
  const free = createServer();
  await new Promise((done) => free.listen(0, "127.0.0.1", done));
  const { port } = free.address();
  await new Promise((done) => free.close(done));
  const data = join(work, "varnish");
  const own = { ...process.env, PURGE_TOKEN: "ferry-token" };
  const url = `http://127.0.0.1:${origin.address().port}`;
  execFileSync(join(SCRIPTS, "start-varnish.sh"), [String(port), url, data], { env: own, stdio: "ignore" });
  await measure("Varnish", {
    credentials: {},
    settings: (more) =>
      `    url: http://127.0.0.1:${port}\n    store: { kind: folder, folder: root }\n    edge: { kind: purge, url: "http://127.0.0.1:${port}", token: ferry-token, query: ignored, longestFetch: 1s${more} }\n`,
    countRequests: () => {
      const text = execFileSync("varnishstat", ["-1", "-f", "MAIN.client_req", "-n", join(data, "varnish")]);
      return Number(/client_req\s+(\d+)/.exec(String(text))?.[1]);
    },
  });
  execFileSync(join(SCRIPTS, "stop-varnish.sh"), [data], { stdio: "ignore" });
  origin.closeAllConnections();
  origin.close();
}

try {
  const [only] = process.argv.slice(2);
  if (only !== "varnish") await onSandbox();
  if (only !== "sandbox") await onVarnish();
} finally {
  rmSync(work, { recursive: true });
}
