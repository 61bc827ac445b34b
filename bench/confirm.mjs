// 10,000 changed addresses, all read back in every form: on the sandbox's edge and on Varnish (root, from Debian's packages).
// Builds first: node scripts/build.mjs && node bench/confirm.mjs [sandbox|varnish]
import { execFileSync } from "node:child_process";
import { chmodSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { join, resolve } from "node:path";
import { report } from "./measure.mjs";
import { createStage } from "./stage.mjs";

const PAGES = 10_000;
const SCRIPTS = resolve("test/servers/scripts");

const stage = createStage();
const { work } = stage;
// The cache gives up being root.
chmodSync(work, 0o755);

const writeSite = (text) => {
  const folder = join(work, "build");
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, "index.html"), `<!doctype html><title>${text}</title>`);
  for (let page = 1; page < PAGES; page++)
    writeFileSync(
      join(folder, `page-${page}.html`),
      `<!doctype html><title>${page}</title>${`<p>${text}`.repeat(50)}`,
    );
};

/** What the program says, with how it ended. */
async function deliver() {
  const { exit, out } = await stage.run("deliver", "--format", "json");
  return { exit, ...JSON.parse(out) };
}

async function measure(name, { settings, countRequests }) {
  for (const confirm of ["all", "60s"]) {
    stage.writeSettings("build", settings(confirm === "all" ? ", confirm: all" : ""));
    writeSite(`before ${confirm}`);
    await deliver();
    writeSite(`after ${confirm}`);
    const before = await countRequests?.();
    const started = performance.now();
    const { exit, invalidation, phases } = await deliver();
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
  const { endpoint, bucket, region, edge, pops, purgeToken } = await stage.startSandbox();
  await measure("the sandbox", {
    settings: (more) =>
      `    url: ${edge}\n    store: { kind: s3, endpoint: "${endpoint}", bucket: ${bucket}, region: ${region} }\n    edge: { kind: purge, nodes: ${JSON.stringify(pops)}, token: ${purgeToken}, query: ignored, longestFetch: 1s${more} }\n`,
  });
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
  stage.end();
}
