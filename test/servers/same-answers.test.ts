import { resolve } from "node:path";
import type { Browser } from "playwright-core";
import { encodeKey } from "../../src/core/addresses/addresses.ts";
import { openBrowser, openContext } from "../support/browser.ts";
import { listRealBuilds, temporaryFolder, unpackRealBuild, walk, writeFiles } from "../support/builds.ts";
import { Project, useSandboxes } from "../support/program.ts";
import { isSoak } from "../support/seeds.ts";
import { Served } from "../support/served.ts";

const startSandbox = useSandboxes();
let browser: Browser;
beforeAll(async () => {
  browser = await openBrowser();
});
afterAll(() => browser.close());

/** Names that are hard to encode, to compress, or to tell apart. */
const ODD = {
  "index.html": `<!doctype html><title>boats</title>${"<p>The ferry leaves at noon.</p>".repeat(60)}`,
  "404.html": "<!doctype html><title>not here</title>",
  "fähre/index.html": "<!doctype html><title>Fähre</title>",
  "cape wren.html": "<!doctype html><title>Cape Wren</title>",
  "100%.txt": "all of them",
  "a+b&c=d.css": `p{}${" ".repeat(2000)}`,
  "[slug].html": "<!doctype html><title>slug</title>",
  "it's; here.js": "export {};",
  "q?mark.txt": "asked",
  "hash#tag.txt": "tagged",
  "⛴/plan.json": "{}",
  "empty.txt": "",
  ".well-known/boat-times": "no ending",
  "film.mp4": "film".repeat(5000),
  "small.svg": "<svg xmlns='http://www.w3.org/2000/svg'/>",
};

const REAL = listRealBuilds({ others: true }).slice(0, isSoak ? 5 : 2);
const BUILDS: readonly (readonly [string, () => Promise<string> | string])[] = [
  ["the demo's", () => resolve("demo/builds/2")],
  ["odd names", () => writeFiles(temporaryFolder("odd"), ODD)],
  ...REAL.map((archive) => [archive.name, async () => (await unpackRealBuild(archive)).v2] as const),
];

/** One site at a store behind the sandbox's edge, and on this machine. */
async function openBoth(
  folder: string,
  origin: "website" | "objects",
): Promise<{ readonly edge: string; readonly served: Served }> {
  const sandbox = await startSandbox("--origin", origin);
  const { edge, edgeApi, distribution } = sandbox.facts;
  const more = [
    `    url: ${edge}`,
    `    edge: { kind: distribution, id: ${distribution}, endpoint: "${edgeApi}", query: ignored, settle: 0s, longestFetch: 0s }`,
    // An edge before exact keys is to send visitors on by itself, and the sandbox's does not know where.
    ...(origin === "website" ? ["redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }]"] : []),
  ].join("\n");
  const settings = sandbox.settings(folder, more).replace('prefix: ""', `serves: ${origin}`);
  const project = new Project(settings, sandbox.facts);
  const allow = ["no-entry", "never-ship", "missing-asset"].flatMap((code) => ["--allow", code]);
  const { exit, stderr } = await project.run(["deliver", "--quiet", "--yes", ...allow]);
  expect([exit, stderr]).toEqual([0, expect.anything()]);
  return { edge, served: await Served.start(project, []) };
}

/** Every address of a build, the same in other letters, and some that are none. */
function listAsked(paths: readonly string[]): string[] {
  const own = paths.flatMap((path) => {
    const address = `/${encodeKey(path)}`;
    const folder = address.replace(/[^/]*$/, "");
    return /(^|\/)index\.html$/.test(path)
      ? [address, folder, folder.slice(0, -1), `${folder}?from=mail`]
      : [address, address.replace(/\.html$/, "")];
  });
  const odd = [
    "/nowhere",
    "/nowhere/",
    "/nowhere.js",
    "/a//b",
    "/%66oo",
    "/latest?x=1",
    "/.courier/current.json",
  ];
  return [...new Set([...own, ...odd].filter((address) => address !== ""))];
}

/** Headers that matter: what browsers and caches decide by. */
const HEADERS = [
  "content-type",
  "cache-control",
  "content-encoding",
  "content-length",
  "content-disposition",
  "content-language",
  "content-range",
  "accept-ranges",
  "vary",
];

/** What a browser gets at each address, in their order. */
async function askInBrowser(origin: string, addresses: readonly string[]): Promise<string[]> {
  const context = await openContext(browser, { serviceWorkers: "block" });
  const page = await context.newPage();
  await page.goto(`${origin}/nowhere-at-all`);
  const got = await page.evaluate(
    async ({ list, headers }) => {
      const ask = async (address: string): Promise<string> => {
        const response = await fetch(address);
        const bytes = await response.arrayBuffer();
        const sum = new Uint8Array(await crypto.subtle.digest("SHA-256", bytes));
        const told = headers.map((name) => `${name}: ${response.headers.get(name) ?? "-"}`);
        const { pathname, search } = new URL(response.url);
        // Where there is no page for what is missing, each says in its own words that nothing is there.
        const type = response.headers.get("content-type") ?? "";
        if (response.status === 404 && !type.startsWith("text/html")) return `${address}: 404`;
        return [
          address,
          response.status,
          pathname + search,
          bytes.byteLength,
          sum.slice(0, 8).join("."),
          ...told,
        ].join("\n");
      };
      const results: string[] = [];
      for (let at = 0; at < list.length; at += 6)
        results.push(...(await Promise.all(list.slice(at, at + 6).map(ask))));
      return results;
    },
    { list: addresses, headers: HEADERS },
  );
  await context.close();
  return got;
}

/** Requests that browsers don't let a page make, or that it would follow by itself. */
const FORMS: readonly Readonly<Record<string, string>>[] = [
  {},
  { "accept-encoding": "gzip" },
  { "accept-encoding": "br;q=0.1, gzip;q=0.2, identity;q=0.9" },
  { range: "bytes=0-9" },
  { range: "bytes=-5, 0-1", "accept-encoding": "br" },
  { range: "bytes=99999999-" },
  { range: "bytes=0-9", "if-range": '"another"' },
  { "if-none-match": "*" },
  { "if-none-match": '"another", "one"' },
  { "if-modified-since": "Fri, 01 Jan 2100 00:00:00 GMT" },
  { "if-modified-since": "Fri, 01 Jan 1999 00:00:00 GMT" },
  { "if-match": '"another"' },
];

async function askPlainly(served: Pick<Served, "get">, address: string): Promise<unknown[]> {
  const got: unknown[] = [];
  for (const form of FORMS) {
    const { status, headers, body } = await served.get(address, form);
    const { "content-type": type, ...told } = Object.fromEntries(
      HEADERS.map((name) => [name, headers[name]]),
    );
    if (status === 404 && !/^text\/html/.test(String(type))) {
      got.push({ address, form, status });
      continue;
    }
    const isMultipart = /boundary=/.test(String(type));
    got.push({
      ...{ address, form, status, location: headers.location, ...told },
      type: isMultipart ? "parts" : type,
      isWeak: headers.etag?.startsWith("W/"),
      body: isMultipart ? body.replace(/--[0-9a-f]{24}/g, "--") : body,
    });
  }
  // With its own ETag, as each of them has it, alone and in a list.
  const { headers } = await served.get(address);
  const { etag = "none" } = headers;
  for (const told of [etag, `"x", W/${etag.replace(/^W\//, "")}`])
    got.push([address, (await served.get(address, { "if-none-match": told })).status]);
  got.push([address, (await served.get(address, { range: "bytes=1-2", "if-range": etag })).status]);
  return got;
}

test.each(
  BUILDS.flatMap(([name, folder], at) =>
    at < 2 ? (["website", "objects"] as const).map((origin) => [name, origin, folder] as const) : [[name, at % 2 ? ("website" as const) : ("objects" as const), folder] as const],
  ),
)("the build of %s, which a store keeps as %s: served here it answers as behind the sandbox's edge", async (_, origin, toFolder) => {
  const folder = await toFolder();
  const { edge, served } = await openBoth(folder, origin);
  const asked = listAsked(walk(folder));
  const here = served.address.replace(/\/$/, "");
  expect(await askInBrowser(here, asked)).toEqual(await askInBrowser(edge, asked));
  const there = Object.assign(Object.create(Served.prototype) as Served, { said: { out: `${edge}/\n`, err: "" } });
  const some = [...asked.slice(0, 8), ...asked.slice(-8)];
  for (const address of some) expect(await askPlainly(served, address)).toEqual(await askPlainly(there, address));
  expect(await served.stop()).toBe(0);
}); // prettier-ignore
