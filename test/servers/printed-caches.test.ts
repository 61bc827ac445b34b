import { readFileSync } from "node:fs";
import { join } from "node:path";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import {
  deliverInFlight,
  PATIENT,
  printSetUp,
  startCache,
  stopAll,
  stopAtEnd,
  type Kind,
} from "../support/caches.ts";
import { Project, useSandboxes } from "../support/program.ts";
import type { VerifyResult } from "../../src/results/verification.ts";
import { makeSite } from "../support/small-site.ts";
import { visitNode, WebRoot } from "../support/web-root.ts";

const BUILDS = makeSite();
const startSandbox = useSandboxes("--origin", "objects");
afterEach(stopAll);

test.each<[Kind, boolean]>([
  ["varnish", true],
  ["nginx", true],
  ["squid", true],
  ["trafficserver", true],
  ["varnish", false],
  ["nginx", false],
  ["squid", false],
  ["trafficserver", false],
])("%s as it is printed (answers vary: %j): nothing old in any form, under no query, and confirmed", async (kind, varies) => {
  const patterns = kind === "varnish" ? ", patterns: ban" : "";
  const edge = `query: ignored, minimumFreshness: 0s, negative: 0s${patterns}`;
  const outcome = await deliverInFlight({ kind, varies, isPrinted: true, edge, queries: ["", "?utm_source=letter"] });
  expect(outcome).toEqual({ exit: 0, old: [], owed: [] });
}); // prettier-ignore

const RULES = `redirects:
  - { address: /timetable, leadsTo: /crossings/, kind: permanent }
  - { address: "/tides/2024/*", leadsTo: "/archive/2024/*", kind: temporary }
  - { address: /tides/2024/may, leadsTo: /never, kind: permanent }
  - { address: /shop, leadsTo: "https://shop.example/?from=site#top", kind: temporary, keepMethod: true }
  - { address: "/f%C3%A4hre/*", leadsTo: "/?a='b'&c=\\"d\\"", kind: permanent, keepMethod: true }
`;
const HEADERS = { "X-Content-Type-Options": "nosniff", "Permissions-Policy": 'geolocation=(self "https://maps.example")', "X-Odd": "100% $1 {a}" }; // prettier-ignore

/** Where a visitor is sent. */
async function lead(node: string, address: string): Promise<string> {
  const { status, headers } = await visitNode(node, address, { host: new URL(node).host });
  return `${status} ${(headers.location ?? "").replace(node, "")}`;
}

async function findWrongDuties(node: string): Promise<unknown> {
  const { host } = new URL(node);
  const leads = [
    "/timetable",
    "/timetable?a=1&b=%20",
    "/tides/2024/may?x",
    "/shop",
    "/shop?a=1",
    "/f%C3%A4hre/x?e=1",
  ];
  const purge = (more: object) =>
    visitNode(node, "/", { host, method: "PURGE", ...more }).then(({ status }) => status);
  const page = await visitNode(node, "/crossings/", { host });
  const insecure = await visitNode(node, "/crossings/?a=1", {
    host,
    headers: { "x-forwarded-proto": "http" },
  });
  return {
    leads: await Promise.all(leads.map((address) => lead(node, address))),
    headers: Object.keys(HEADERS).map((name) => page.headers[name.toLowerCase()]),
    refused: [await purge({}), await purge({ headers: { "x-purge-token": "other" } })],
    insecure: insecure.status,
    others: await Promise.all(
      ["POST", "PUT", "DELETE"].map((method) =>
        visitNode(node, "/", { host, method }).then(({ status }) => [403, 405].includes(status)),
      ),
    ),
  };
}

const DUTIES = {
  leads: [
    "301 /crossings/",
    "301 /crossings/?a=1&b=%20",
    "302 /archive/2024/may?x",
    "307 https://shop.example/?from=site#top",
    "307 https://shop.example/?from=site&a=1#top",
    "308 /?a='b'&c=%22d%22&e=1",
  ],
  headers: Object.values(HEADERS),
  refused: [403, 403],
  insecure: 200,
  others: [true, true, true],
};

const toEdge = (kind: Kind, port: number, longest: string): string =>
  `{ kind: purge, url: "http://127.0.0.1:${port}", token: ferry-token, settle: 0s${longest}, query: ignored, minimumFreshness: 0s, negative: 0s${kind === "varnish" ? ", patterns: path" : ""} }`;

test.each<[Kind, boolean]>([
  ["varnish", false],
  ["nginx", false],
  ["squid", false],
  ["trafficserver", false],
  ["varnish", true],
  ["nginx", true],
])("%s as it is printed before a bucket of exact keys (client routes: %j): the first page, what is missing, prefix and names", async (kind, clientRoutes) => {
  const sandbox = await startSandbox();
  const { facts } = sandbox;
  const build = clientRoutes ? `${BUILDS}/2, clientRoutes: true` : `${BUILDS}/2`;
  const toSettings = (port: number, longest = PATIENT): string =>
    `site: Pelican Sound Ferries\nbuild: { folder: ${build} }\n${RULES}destinations:\n  web:\n    url: http://127.0.0.1:${port}/\n    store: { kind: s3, bucket: ${facts.bucket}, region: ${facts.region}, endpoint: "${facts.endpoint}", prefix: site/ }\n    edge: ${toEdge(kind, port, longest)}\n    expect: { headers: ${JSON.stringify(HEADERS)} }\n`;
  const node = await startCache(kind, facts.endpoint, {}, printSetUp(kind, toSettings, []));
  const project = new Project(toSettings(Number(new URL(node).port), ", longestFetch: 4s"), facts);
  await project.run(["provision", "--readers", "public", "--yes"]);
  await project.result(["deliver"]);
  const verified = await project.run(["verify", "--format", "json"]);
  const { findings } = JSON.parse(verified.stdout) as VerifyResult;
  // What a cache can't do it says: a page in the place of an error, compression.
  const bare = { varnish: [], nginx: [], squid: ["not-found-page", "not-compressed"], trafficserver: ["not-found-page"] }[kind] as readonly string[];
  const others = findings.filter(({ code }) => !bare.includes(code)).map(({ code, address, found }) => `${code} ${address}: ${found}`);
  expect([others, [...new Set(findings.map(({ code }) => code))].sort()]).toEqual([[], [...bare].sort()]);
  expect(await findWrongDuties(node)).toEqual(DUTIES);
  const { host } = new URL(node);
  const entry = readFileSync(join(BUILDS, "2/index.html"), "latin1");
  const [first, unknown, script] = await Promise.all(["/?utm_source=letter", "/nowhere", "/nowhere.js"].map((address) => visitNode(node, address, { host })));
  expect([first?.status, first?.content === entry]).toEqual([200, true]);
  const missing = bare.length > 0 ? expect.any(Number) : 404;
  expect([unknown?.status, unknown?.content === entry, script?.status]).toEqual([clientRoutes ? 200 : missing, clientRoutes, missing]);
}); // prettier-ignore

test.each<[Kind]>([["varnish"], ["nginx"], ["squid"], ["trafficserver"]])("%s as it is printed behind what speaks https: plain http is led there", async (kind) => {
  const folder = writeFiles(temporaryFolder("web-root"), { "index.html": "boats" });
  const root = new WebRoot(folder);
  const origin = await root.start();
  stopAtEnd(() => {
    root.stop();
  });
  const toSettings = (port: number): string =>
    `site: Pelican Sound Ferries\ndestinations:\n  web:\n    url: https://www.pelican.test/\n    store: { kind: folder, folder: ${folder} }\n    edge: { kind: purge, nodes: ["http://127.0.0.1:${port}"], token: ferry-token }\n`;
  const more = ["--origin", origin, "--purge-from", "127.0.0.0/8"];
  const node = await startCache(kind, origin, {}, printSetUp(kind, toSettings, more));
  const ask = (proto: string) => visitNode(node, "/?a=1", { host: "www.pelican.test", headers: { "x-forwarded-proto": proto } }); // prettier-ignore
  const [plain, secure] = [await ask("http"), await ask("https")];
  expect([plain.status, plain.headers.location]).toEqual([301, "https://www.pelican.test/?a=1"]);
  expect([secure.status, secure.content]).toEqual([200, "boats"]);
}); // prettier-ignore
