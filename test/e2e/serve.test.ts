import { once } from "node:events";
import { cpSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { request as ask, type IncomingMessage } from "node:http";
import { join } from "node:path";
import { NO_KEYS, Project } from "../support/program.ts";
import { Served } from "../support/served.ts";
import { writeFiles } from "../support/builds.ts";

const SETTINGS = `site: Pelican Sound Ferries
build: { folder: dist }
redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }]
headers: [{ files: "*.csv", set: { Content-Disposition: attachment } }]
destinations:
  production:
    url: https://www.pelicansound.example/shop/
    store: { kind: s3, bucket: pelican-sound-web, region: eu-west-1 }
    edge: { kind: distribution, id: EXAMPLE0000001 }
    expect: { headers: { X-Frame-Options: DENY, Strict-Transport-Security: "*" } }
    files: [{ from: robots/production.txt, as: robots.txt }]
  staging:
    store: { kind: s3, bucket: staging, region: eu-west-1 }
    edge: { kind: none }
`;
const PAGE = `<!doctype html><html><body><p>${"Ferries leave at noon. ".repeat(60)}</p></body></html>`;
const FILES = { "index.html": PAGE, "news/index.html": "news", "404.html": "nothing", "fares.csv": "a,b" };

const serve = (args: readonly string[], project = newProject()): Promise<Served> =>
  Served.start(project, args);

function newProject(files: Readonly<Record<string, string>> = FILES): Project {
  const project = new Project(SETTINGS, NO_KEYS);
  writeFiles(join(project.folder, "dist"), files);
  writeFiles(project.folder, { "robots/production.txt": "production", "secret.txt": "not for you" });
  return project;
}

test("by the rules of a destination: its path, headers, redirects, files, what its edge adds; the address alone first", async () => {
  const served = await serve(["--to", "production"]);
  expect(served.address).toMatch(/^http:\/\/127\.0\.0\.1:\d+\/shop\/$/);
  const [page, folder, missing] = [await served.get("/shop/"), await served.get("/shop/news/"), await served.get("/shop/nowhere")];
  expect([page.status, page.body, folder.body, missing.status, missing.body]).toEqual([200, PAGE, "news", 404, "nothing"]);
  expect(page.headers).toMatchObject({ "cache-control": "public, max-age=0, s-maxage=86400, must-revalidate", "x-frame-options": "DENY" });
  expect(page.headers).not.toHaveProperty("strict-transport-security");
  expect((await served.get("/shop/fares.csv")).headers["content-disposition"]).toBe("attachment");
  expect(await served.get("/shop/latest")).toMatchObject({ status: 301, headers: { location: "/shop/news/" } });
  expect((await served.get("/shop/robots.txt")).body).toBe("production");
  expect(await served.get("/")).toMatchObject({ status: 404, body: "this site begins at /shop/\n" });
  expect(served.said.out).toContain("Strict-Transport-Security is left out");
  expect(served.said.err).toMatch(/404 {2}\/shop\/nowhere {2}7 B/);
  expect(await served.stop()).toBe(0);
}); // prettier-ignore

test("a store without an edge compresses nothing; nothing but the build is read, and only under names of this machine", async () => {
  const served = await serve(["--to", "staging"]);
  const { headers } = await served.get("/", { "accept-encoding": "br, gzip" });
  expect([headers["content-encoding"], headers["content-length"]]).toEqual([undefined, String(PAGE.length)]);
  for (const path of ["/../secret.txt", "/%2e%2e/secret.txt", "/..%2fsecret.txt", "/news/..%5c..%5csecret.txt", "//secret.txt", "/%00", "/dist/../courier.yaml"])
    expect([path, (await served.get(path)).status]).toEqual([path, 404]);
  expect((await served.get("/", { host: "elsewhere.example.com" })).status).toBe(421);
  expect((await served.get("/", { host: "localhost:80" })).status).toBe(200);
  const { port } = new URL(served.address);
  const taken = await served.project.run(["serve", "--to", "staging", "--port", port]);
  expect([taken.exit, taken.stderr]).toEqual([1, expect.stringContaining(`port ${port} is taken`)]);
  await served.stop();
}); // prettier-ignore

test.each([
  [["--port", "http"], 2, "--port must be a number up to 65535, not http"],
  [
    ["--host", "203.0.113.7"],
    1,
    "nothing can be served at 203.0.113.7, port 8470: the system answers EADDRNOTAVAIL",
  ],
  [["--build", "nowhere"], 3, "there is no build at"],
])("serve %j ends with %d", async (args, exit, message) => {
  const outcome = await newProject().run(["serve", "--to", "staging", ...args]);
  expect([outcome.exit, outcome.stdout, outcome.stderr]).toEqual([
    exit,
    "",
    expect.stringContaining(message),
  ]);
});

test("https with a certificate that the next run has again, kept for its user alone", async () => {
  const project = newProject();
  const first = await serve(["--to", "staging", "--https"], project);
  expect(first.address).toMatch(/^https:/);
  expect((await first.get("/")).body).toBe(PAGE);
  await first.stop();
  const caches = join(project.home, ".cache/restless-courier");
  const { readdirSync, statSync } = await import("node:fs");
  const kept = readdirSync(caches).filter((name) => name.startsWith("serve-certificate-")).map((name) => join(caches, name));
  expect(kept.map((file) => statSync(file).mode & 0o777)).toEqual([0o600]);
  const before = readFileSync(kept[0] as string, "utf8");
  await (await serve(["--to", "staging", "--https"], project)).stop();
  expect(readFileSync(kept[0] as string, "utf8")).toBe(before);
}); // prettier-ignore

test("to the network on request: said, under the names that others have for this machine", async () => {
  const served = await serve(["--to", "staging", "--host", "0.0.0.0"]);
  expect(served.said.out).toContain("Everybody in this network can see the build");
  expect((await served.get("/", { host: "192.168.1.5:8470" })).status).toBe(200);
  expect((await served.get("/", { host: "elsewhere.example.com" })).status).toBe(421);
  await served.stop();
});

test("a build that is written anew is served as soon as it is whole; until then requests wait, and it is said", async () => {
  const served = await serve(["--to", "staging", "--reload"]);
  const dist = join(served.project.folder, "dist");
  expect((await served.get("/")).body).toContain('<script type="module" src="/.courier-serve/reload.js"></script></body>');
  const browser = ask(`${served.address}.courier-serve/events`).end();
  const [events] = (await once(browser, "response")) as [IncomingMessage];
  let heard = "";
  events.setEncoding("utf8").on("data", (chunk) => (heard += String(chunk)));

  rmSync(join(dist, "index.html"));
  await served.hears(/half-written: it has no index\.html yet; requests wait/);
  const late = served.get("/");
  writeFileSync(join(dist, "index.html"), "the next one");
  expect((await late).body).toContain("the next one");
  await served.hears(/1 open page is reloaded/);
  // What was sent may still be on its way to the browser when the terminal says so.
  const builds = (): number => new Set(heard.match(/\w{64}/g)).size;
  while (builds() < 2) await new Promise((done) => setTimeout(done, 20));
  expect(builds()).toBe(2);

  // A page comes before what it needs: it is shown once both are there.
  writeFileSync(join(dist, "index.html"), '<script src="/late.js"></script>');
  await served.hears(/half-written\? index\.html:1: .*\/late\.js/);
  const before = served.said.err.match(/reloaded/g)?.length;
  writeFileSync(join(dist, "late.js"), "late();");
  await served.hears(/half-written\?[^]*reloaded/);
  expect(served.said.err.match(/reloaded/g)?.length).toBe((before ?? 0) + 1);

  // The whole folder goes and comes back, as build tools do it.
  rmSync(dist, { recursive: true });
  await served.hears(/half-written: there is no build/);
  writeFiles(`${dist}-next`, { ...FILES, "new.html": "new" });
  cpSync(`${dist}-next`, dist, { recursive: true });
  expect((await served.get("/new.html")).body).toContain("new");
  events.destroy();
  expect(await served.stop()).toBe(0);
}); // prettier-ignore
