import { readFileSync } from "node:fs";
import { join } from "node:path";
import { encodeKey } from "../../src/core/addresses/addresses.ts";
import { temporaryFolder, walk } from "../support/builds.ts";
import { startCache, stopAll, stopAtEnd, type Kind } from "../support/caches.ts";
import { Project } from "../support/program.ts";
import { makeSite } from "../support/small-site.ts";
import { visitNode, WebRoot } from "../support/web-root.ts";

const BUILDS = makeSite();
/** Forms that browsers and other clients send; each may be a copy of its own. */
const FORMS = ["gzip, deflate, br, zstd", "gzip, deflate, br", "gzip, deflate", "", "gzip"];

afterEach(stopAll);

interface Stage {
  readonly root: WebRoot;
  readonly nodes: readonly string[];
  readonly host: string;
  readonly folder: string;
  readonly project: Project;
}

async function openRoot(folder: string, varies = true): Promise<{ root: WebRoot; origin: string }> {
  const root = new WebRoot(folder, varies);
  const origin = await root.start();
  stopAtEnd(() => {
    root.stop();
  });
  return { root, origin };
}

/** A web root behind caches of one kind, and a project that delivers to it. */
async function setUp(
  kind: Kind,
  more: string,
  environment: NodeJS.ProcessEnv = {},
  count = 1,
): Promise<Stage> {
  const folder = temporaryFolder("web-root");
  const { root, origin } = await openRoot(folder);
  const nodes: string[] = [];
  for (let index = 0; index < count; index++) {
    nodes.push(await startCache(kind, origin, environment));
  }
  const settings = [
    "site: Pelican Sound Ferries",
    `build: { folder: ${BUILDS}/1 }`,
    "destinations:",
    "  web:",
    `    url: ${nodes[0]}`,
    `    store: { kind: folder, folder: ${folder} }`,
    `    edge: { kind: purge, nodes: ${JSON.stringify(nodes)}, token: ferry-token${more.includes("settle") ? "" : ", settle: 0s, longestFetch: 1s"}${more} }`,
    "",
  ].join("\n");
  const project = new Project(settings, { accessKeyId: "none", secretAccessKey: "none" });
  return { root, nodes, host: new URL(nodes[0] as string).host, folder, project };
}

const addressesOf = (path: string): string[] =>
  /(^|\/)index\.html$/.test(path)
    ? [`/${encodeKey(path)}`, `/${encodeKey(path).slice(0, -"index.html".length)}`]
    : [`/${encodeKey(path)}`];

/** Visitors come to pages with queries; what carries a hash is only named by pages, and never with one. */
const withQuery = (query: string): string[] =>
  query === ""
    ? ADDRESSES
    : ADDRESSES.filter((address) => !address.startsWith("/assets/")).map((one) => one + query);

const ADDRESSES = [
  ...new Set(["1", "2"].flatMap((build) => walk(`${BUILDS}/${build}`)).flatMap(addressesOf)),
];

/** Every address in every form at every node; twice, so that the second answers come out of the cache. */
async function warm({ nodes, host }: Stage, queries: readonly string[]): Promise<number> {
  let hits = 0;
  for (const node of nodes)
    for (const round of [1, 2])
      for (const query of queries)
        for (const encoding of FORMS)
          for (const address of withQuery(query)) {
            const { headers } = await visitNode(node, address, { host, encoding });
            if (
              round === 2 &&
              /hit/i.test(`${String(headers["x-cache"])} ${String(headers["x-cache-status"])}`)
            )
              hits += 1;
          }
  return hits;
}

/** What is not as the second build has it, in any form at any node. */
async function findWrong({ nodes, host }: Stage, queries: readonly string[]): Promise<string[]> {
  const files = new Map(walk(`${BUILDS}/2`).flatMap((path) => addressesOf(path).map((one) => [one, path])));
  const kept = new Set(
    walk(`${BUILDS}/1`)
      .filter((path) => path.startsWith("assets/"))
      .flatMap(addressesOf),
  );
  const wrong: string[] = [];
  for (const node of nodes)
    for (const query of queries)
      for (const [at, address] of withQuery(query).entries())
        // Some in the order in which they were first stored, some against it.
        for (const encoding of at % 2 === 0 ? FORMS : FORMS.toReversed()) {
          const { status, content } = await visitNode(node, address, { host, encoding });
          const path = files.get(address.replace(query, ""));
          const isRight =
            path === undefined
              ? status === 404 || kept.has(address)
              : status === 200 && content === readFileSync(`${BUILDS}/2/${path}`, "latin1");
          if (!isRight) wrong.push(`${node}${address} [${encoding}] ${status}`);
        }
  return wrong;
}

test.each<[string, Kind, string, NodeJS.ProcessEnv, number, readonly string[]]>([
  ["varnish, one address at a time", "varnish", ", query: ignored", {}, 1, [""]],
  ["varnish without a count, two nodes", "varnish", ", query: ignored, encodings: []", { VARNISH_PURGE: "stock" }, 2, [""]],
  ["varnish that keeps forms apart", "varnish", ", query: ignored", { VARNISH_GZIP: "off" }, 1, [""]],
  ["varnish, wildcards in the path", "varnish", ", patterns: path", {}, 1, ["", "?utm_source=letter"]],
  ["varnish, wildcards by BAN", "varnish", ", patterns: ban", {}, 1, ["", "?utm_source=letter"]],
  ["nginx, a copy for each form", "nginx", `, query: ignored, encodings: ${JSON.stringify(FORMS)}`, {}, 1, [""]],
  ["nginx, a copy for each class of forms", "nginx", ", query: ignored", { NGINX_AE: "key" }, 1, [""]],
])(
  "%s: warmed in every form, after a delivery each address answers with the new bytes in every form",
  async (_, kind, more, environment, count, queries) => {
    const stage = await setUp(kind, more, environment, count);
    const first = await stage.project.result(["deliver"]);
    expect(first.invalidation.confirmed).toBe(true);
    const hits = await warm(stage, queries);
    expect(hits).toBeGreaterThan(queries.flatMap(withQuery).length * FORMS.length * count * 0.9);
    const { invalidation, warnings } = await stage.project.result(["deliver", "--build", `${BUILDS}/2`]);
    expect([invalidation.confirmed, invalidation.owed, warnings]).toEqual([true, [], []]);
    expect(await findWrong(stage, queries)).toEqual([]);
  },
); // prettier-ignore

test("a wildcard that a cache takes for an address of its own is noticed, and what it holds stays owed", async () => {
  const stage = await setUp("nginx", ", patterns: path, encodings: []");
  await stage.project.run(["deliver"]);
  for (const address of ADDRESSES) await visitNode(stage.nodes[0] as string, address, { host: stage.host });
  const outcome = await stage.project.run(["deliver", "--build", `${BUILDS}/2`, "--format", "json"]);
  expect([outcome.exit, outcome.stderr]).toEqual([5, expect.stringContaining("it seems not to take wildcards")]); // prettier-ignore
});

test("a wrong token, and a server that takes no purges, leave everything owed and say so", async () => {
  const stage = await setUp("varnish", ", query: ignored");
  const text = readFileSync(join(stage.project.folder, "courier.yaml"), "utf8");
  const refused = new Project(text.replace("ferry-token", "other"), {
    accessKeyId: "none",
    secretAccessKey: "none",
  });
  expect(await refused.run(["deliver"])).toMatchObject({ exit: 5, stderr: expect.stringContaining("correct the token or its header") as string }); // prettier-ignore
  expect(await stage.project.result(["deliver"])).toMatchObject({ release: 1, invalidation: { owed: [] } });
});
