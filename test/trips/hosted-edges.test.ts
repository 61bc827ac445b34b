import { once } from "node:events";
import { readFileSync, rmSync } from "node:fs";
import { createServer, type IncomingMessage, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { join } from "node:path";
import { text } from "node:stream/consumers";
import { temporaryFolder, walk } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { useSandboxes } from "../support/program.ts";
import { makeSite } from "../support/small-site.ts";

const BUILDS = makeSite();

const startSandbox = useSandboxes("--origin", "website", "--trait", "purge-wildcards");
const TOKEN = "secret-of-a-test";

/** The settings of an edge as docs/hosted-edges.md has them below a title. */
function readExample(title: string): string {
  const page = readFileSync("docs/hosted-edges.md", "utf8");
  const [, yaml] = new RegExp(`^## ${title}\n\n\`\`\`yaml\n([^]*?)^\`\`\``, "m").exec(page) ?? [];
  if (yaml === undefined) throw new Error(`there is no example ${title}`);
  return yaml;
}

/** What an interface understood: paths, some with a star at their end; undefined: it is not for it. */
type Understand = (request: IncomingMessage, body: string) => readonly string[] | undefined;

const INTERFACES: readonly [title: string, understand: Understand, status: number, answer: string][] = [
  [
    "A list of addresses in JSON",
    ({ method, url, headers }, body) => {
      if (method !== "POST" || url !== "/v1/sites/42/forget" || headers.authorization !== `Bearer ${TOKEN}`) return undefined;
      const { addresses, prefixes, all } = JSON.parse(body) as { addresses?: string[]; prefixes?: string[]; all?: true };
      if (all) return ["/*"];
      return [...(addresses ?? []).map((one) => one.replace(/^https?:\/\/[^/]+/, "")), ...(prefixes ?? []).map((one) => `${one.replace(/^https?:\/\/[^/]+/, "")}*`)];
    },
    200,
    '{"state":"done"}',
  ],
  [
    "Paths in a form",
    ({ method, url, headers }, body) => {
      const form = new URLSearchParams(body);
      return method === "POST" && url === "/forget" && headers["x-edge-key"] === TOKEN && form.get("site") === "pelican" ? form.getAll("path") : undefined;
    },
    201,
    "",
  ],
  [
    "One address per request",
    ({ method, url = "", headers }) => {
      const of = new URL(url, "http://edge").searchParams.get("of");
      return method === "DELETE" && headers["x-edge-key"] === TOKEN && of !== null ? [of.replace(/^https?:\/\/[^/]+/, "")] : undefined;
    },
    404,
    "",
  ],
]; // prettier-ignore

let server: Server | undefined;
afterEach(() => {
  server?.closeAllConnections();
  server?.close();
});

test.each(INTERFACES)("%s, as the docs have it: nothing old is left, a refusal leaves the rest owed, and no token is told", async (title, understand, status, answer) => {
  const sandbox = await startSandbox();
  const { edge, purgeToken } = sandbox.facts;
  let isShut = false;
  const asked: string[] = [];
  const standIn = createServer((request, response) => {
    void (async () => {
      const paths = understand(request, await text(request));
      if (!paths || isShut) return void response.writeHead(403).end();
      asked.push(...paths);
      for (const path of paths) await fetch(edge + path, { method: "PURGE", headers: { "x-purge-token": purgeToken } });
      response.writeHead(status, { "content-type": "application/json" }).end(status === 404 ? "" : answer);
    })();
  }).listen(0, "127.0.0.1");
  server = standIn;
  await once(standIn, "listening");
  const here = `http://127.0.0.1:${(standIn.address() as AddressInfo).port}`;
  const example = readExample(title).replace("https://edge.example", here).trimEnd().replaceAll("\n", "\n    ");
  const more = `    url: ${edge}\n    ${example}\n      settle: 0s\n      longestFetch: 0s\n      query: ignored`;
  const project = new ProjectHere(sandbox.settings(`${BUILDS}/1`, more), sandbox.facts);
  const deliver = (build: string) => project.run(["deliver", "--build", `${BUILDS}/${build}`, "--format", "json"], { EDGE_TOKEN: TOKEN });
  expect((await deliver("1")).exit).toBe(0);
  const pages = walk(`${BUILDS}/1`).filter((path) => path.endsWith(".html"));
  for (const page of pages) await fetch(`${edge}/${page}`);
  asked.length = 0;
  const second = await deliver("2");
  expect([second.exit, JSON.parse(second.stdout)]).toMatchObject([0, { invalidation: { confirmed: true } }]);
  expect(asked.length).toBeGreaterThan(3);
  for (const page of walk(`${BUILDS}/2`).filter((path) => path.endsWith(".html")))
    expect([page, await (await fetch(`${edge}/${page}`)).text()]).toEqual([page, readFileSync(join(`${BUILDS}/2`, page), "utf8")]);
  isShut = true;
  const refused = await deliver("1");
  expect([refused.exit, `${refused.stdout}${refused.stderr}`]).toEqual([5, expect.stringContaining("it refused the purge")]);
  expect(`${refused.stdout}${refused.stderr}`).not.toContain(TOKEN);
  isShut = false;
  const owed = await project.run(["invalidate", "--owed"], { EDGE_TOKEN: TOKEN });
  expect([owed.exit, owed.stderr]).toEqual([0, expect.stringMatching(/these files wait until the edge has confirmed the pages[^]*sw\.js/)]);
  expect((await deliver("1")).exit).toBe(0);
  expect((await project.run(["invalidate", "--owed"], { EDGE_TOKEN: TOKEN })).stderr).toBe("");
}); // prettier-ignore

test("settings of such an edge that can't be are told with their place", async () => {
  const sandbox = await startSandbox();
  const folder = temporaryFolder("none");
  for (const [edge, said] of [
    ["{ kind: request, endpoint: 'https://edge.example/x', by: endpoint }", "{address}"],
    ["{ kind: request, endpoint: 'https://edge.example/{address}' }", "{address}"],
    ["{ kind: request, endpoint: 'https://edge.example/{address}', by: endpoint, everything: { besides: {} } }", "a request of its own"],
    ["{ kind: request, endpoint: 'https://edge.example/x', method: post }", "an HTTP method such as POST"],
    ["{ kind: request, endpoint: 'https://edge.example/x' }", "Say the destination's url"],
  ] as const) {
    const project = new ProjectHere(sandbox.settings(folder, `    edge: ${edge}`), sandbox.facts);
    const { exit, stderr } = await project.run(["compare"]);
    expect([edge, exit, stderr]).toEqual([edge, 2, expect.stringContaining(said)]);
  }
  rmSync(folder, { recursive: true });
}); // prettier-ignore
