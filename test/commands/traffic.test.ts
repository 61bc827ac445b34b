import { hash } from "node:crypto";
import { cpSync, readFileSync, writeFileSync } from "node:fs";
import { request } from "node:http";
import { join, resolve } from "node:path";
import { setTimeout as pause } from "node:timers/promises";
import { gzipSync } from "node:zlib";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import type { Content } from "../../src/ports/object-store.ts";
import type { TrafficResult } from "../../src/results/traffic.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, RunningSandbox } from "../support/program.ts";
import { readResult } from "../support/results.ts";

const BUILDS = resolve("demo/builds");
const BROWSER = "Mozilla/5.0 (X11; Linux x86_64)";
let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start(["--origin", "website"]);
});
afterAll(() => sandbox.stop());

/** Asks the edge so many times, as a browser with nothing in its cache. */
async function visit(path: string, times: number, referer?: string): Promise<void> {
  const headers = { "user-agent": BROWSER, ...(referer !== undefined && { referer }) };
  for (let time = 0; time < times; time += 1)
    await new Promise<void>((done, fail) => {
      request(`${sandbox.facts.edge}${path}`, { headers }, (answer) => answer.resume().once("end", done)).once("error", fail).end();
    });
} // prettier-ignore

const toContent = (bytes: Buffer): Content => ({
  size: bytes.length,
  hash: hash("sha256", bytes),
  open: () => bytes,
});

const read = async (project: ProjectHere, ...args: string[]): Promise<TrafficResult> => {
  const { exit, stdout, stderr } = await project.run(["traffic", ...args, "--format", "json"]);
  if (exit !== 0) throw new Error(stderr);
  return readResult("traffic", stdout);
};

/** Four releases, of which two are retained: a browser still asks for a chunk of the first, and another site links to a page of it. */
async function liveThroughADay(): Promise<ProjectHere> {
  const { edge, edgeApi, distribution } = sandbox.facts;
  const more = [
    `    url: ${edge}`,
    `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, ${AT_ONCE} }`,
    "    retain: { releases: 2, for: 1s }",
    'freshness: [{ files: "**/*.html", browser: 0s, edge: 1s }]',
  ].join("\n");
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, more).replace('prefix: ""', "serves: website"), sandbox.facts);
  await project.result(["deliver"]);
  await visit("/crossings/gull-point/", 40);
  const build = join(project.folder, "build");
  cpSync(`${BUILDS}/2`, build, { recursive: true });
  for (const name of ["", "one", "two"]) {
    if (name !== "") writeFileSync(join(build, "about.html"), `${readFileSync(join(build, "about.html"), "utf8")}<!-- ${name} -->`);
    // A release stays for a second at least.
    await pause(1200);
    await project.result(["deliver", "--build", build]);
    await visit("/fares/", 40);
  }
  await visit("/assets/app-HADE2WGP.js", 3, `${edge}/fares/?visitor=77`);
  await visit("/crossings/gull-point/", 2, "https://harbour-guide.example/trips?visitor=77#me");
  await visit("/never.cgi", 4);
  return project;
} // prettier-ignore

test("a day's log tells which chunk was let go of too early, and which removed page is linked from outside, each with its mend", async () => {
  const project = await liveThroughADay();
  const log = join(sandbox.data, "edge-access.log");
  const result = await read(project, log);
  const { missing, deliveries, lines } = result;
  expect(missing.letGo).toMatchObject([{ release: 1, requests: 3, people: 3, isRetained: false, addresses: [{ address: "/assets/app-HADE2WGP.js", referrers: [{ address: "/fares/", isOwn: true }] }] }]);
  expect(missing.letGo[0]?.needed?.releases).toBe(4);
  expect(missing.letGo[0]?.needed?.seconds).toBeGreaterThanOrEqual(2);
  expect(missing.removed).toMatchObject([{ address: "/crossings/gull-point/", requests: 2, release: 1, removedBy: { release: 2 }, leadsTo: { address: "/crossings/", because: "above" }, referrers: [{ address: "harbour-guide.example/trips", requests: 2, isOwn: false }] }]);
  expect(missing.never.map(({ address, requests }) => [address, requests])).toEqual([["/never.cgi", 4]]);
  expect(deliveries.map(({ release }) => release)).toEqual([2, 3, 4]);
  expect(lines.own).toBeGreaterThan(0);
  expect(result.agents.find(({ kind }) => kind === "people")?.requests).toBe(result.all.requests);
  expect(JSON.stringify(result)).not.toContain("visitor");

  const { stdout } = await project.run(["traffic", log, "--report", "traffic.html"]);
  expect(stdout).toContain("retain: { releases: 4 } or retain: { for: ");
  expect(stdout).toContain("redirects: [{ address: /crossings/gull-point/, leadsTo: /crossings/, kind: permanent }]");
  expect(readFileSync(join(project.folder, "traffic.html"), "utf8")).toContain("address: /crossings/gull-point/, leadsTo: /crossings/");

  // The mend is one: the settings take it, and the old link leads on.
  const settings = join(project.folder, "courier.yaml");
  writeFileSync(settings, `${readFileSync(settings, "utf8")}\nredirects: [{ address: /crossings/gull-point/, leadsTo: /crossings/, kind: permanent }]\n`);
  await project.result(["deliver", "--build", join(project.folder, "build")]);
  const answer = await fetch(`${sandbox.facts.edge}/crossings/gull-point/`, { redirect: "manual" });
  expect([answer.status, answer.headers.get("location")]).toEqual([301, "/crossings/"]);
}); // prettier-ignore

test("logs are read from folders and from the store, packed or not, and added up", async () => {
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  const line = (path: string): string => `203.0.113.9 - - [04/Mar/2026:14:20:05 +0000] "GET ${path} HTTP/1.1" 200 42 "-" "${BROWSER}"\n`;
  writeFileSync(join(project.folder, "a.log"), line("/a"));
  const store = createS3Store({ ...sandbox.facts, prefix: "logs/edge/", addressing: "path" }, () => undefined);
  process.env.AWS_ACCESS_KEY_ID = sandbox.facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = sandbox.facts.secretAccessKey;
  await store.put("2026/1.gz", toContent(gzipSync(line("/b").repeat(3))), {});
  await store.put("2026/2.gz", toContent(gzipSync(line("/c").repeat(2)).subarray(0, -4)), {});
  const { all, logs, cut, addresses } = await read(project, ".", "--from-store", `${sandbox.facts.bucket}:logs/edge`);
  expect([all.requests, logs, cut]).toEqual([6, ["a.log", "courier.yaml", "2026/1.gz", "2026/2.gz"], ["2026/2.gz"]]);
  expect(addresses.map(({ address, requests }) => [address, requests])).toEqual([["/b", 3], ["/c", 2], ["/a", 1]]);
  // Nobody's address comes through, in no form.
  const said = await Promise.all([project.run(["traffic", "a.log", "--all"])]);
  expect(JSON.stringify(said)).not.toContain("203.0.113");
}); // prettier-ignore

test.each([
  [[], 2, "name the logs:"],
  [["none.log"], 1, "none.log"],
  [["courier.yaml"], 2, "lines is one of an access log"],
])("a call that can't be right is refused: traffic %j", async (args, exit, words) => {
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`), sandbox.facts);
  expect(await project.run(["traffic", ...args])).toMatchObject({ exit, stdout: "", stderr: expect.stringContaining(words) as string });
}); // prettier-ignore
