import { readFileSync } from "node:fs";
import { join } from "node:path";
import { decideContentType } from "../../src/core/build/content-type.ts";
import { encodeKey } from "../../src/core/addresses/addresses.ts";
import type { DeliveryResult } from "../../src/results/delivery.ts";
import { listRealBuilds, temporaryFolder, unpackRealBuild, walk, writeFiles } from "../support/builds.ts";
import { ProjectHere } from "../support/called-here.ts";
import { AT_ONCE, Project, RunningSandbox, useSandboxes } from "../support/program.ts";
import { visitNode } from "../support/web-root.ts";
import { isSoak } from "../support/seeds.ts";
import { readResult } from "../support/results.ts";
import { makeSite } from "../support/small-site.ts";

/** Forms of `Accept-Encoding` that browsers and other clients send. */
const FORMS = ["gzip, deflate, br, zstd", "gzip, deflate, br", "gzip, deflate", "", "gzip"];

type Invalidation = DeliveryResult["invalidation"];

const startSandbox = useSandboxes("--origin", "website");

const distribution = ({ facts }: RunningSandbox, more = ""): string =>
  `{ kind: distribution, id: ${facts.distribution}, endpoint: "${facts.edgeApi}", ${AT_ONCE}${more} }`;
const purge = ({ facts }: RunningSandbox, more = ""): string =>
  `{ kind: purge, nodes: ${JSON.stringify(facts.pops)}, token: ${facts.purgeToken}, ${more.includes("query") ? "" : "query: ignored, "}${AT_ONCE}${more} }`;
/** The edge, and where visitors find it. */
const behind = ({ facts }: RunningSandbox, edge: string): string =>
  `    url: ${facts.edge}\n    edge: ${edge}`;
const invalidationOf = (stdout: string): Invalidation =>
  (JSON.parse(stdout) as { invalidation: Invalidation }).invalidation;

const reaches = (pattern: string, address: string): boolean =>
  pattern.endsWith("*") ? address.startsWith(pattern.slice(0, -1)) : address === pattern;

const addressesOf = (path: string): string[] => {
  const own = `/${encodeKey(path)}`;
  return /(^|\/)index\.html$/.test(path) ? [own, own.slice(0, -"index.html".length)] : [own];
};

interface Seen {
  readonly body: Buffer;
  readonly status: number;
  readonly isHit: boolean;
  readonly type: string | null;
}

async function visit(url: string): Promise<Seen> {
  const answer = await fetch(url, { redirect: "manual" });
  const { headers, status } = answer;
  const isHit = headers.get("cache-status")?.includes("; hit") === true;
  return { status, isHit, type: headers.get("content-type"), body: Buffer.from(await answer.arrayBuffer()) };
}

const SITE = makeSite();

const REAL = listRealBuilds({ others: isSoak }).map((archive) => ({
  name: archive.name,
  load: () => unpackRealBuild(archive),
}));
const MADE_UP = { name: "made-up site", load: () => Promise.resolve({ v1: `${SITE}/1`, v2: `${SITE}/2` }) };
/** What the edge is, and when one more copy is worth a pattern. One site meets all of them, the others take turns. */
const WAYS = [
  ["distribution", "keyed", "1KB"],
  ["purge", "ignored", ""],
  ["distribution", "ignored", "64KB"],
] as const;
const turns = (index: number) => WAYS.filter((_, turn) => index === 0 || turn === index % WAYS.length);

test.each(
  [MADE_UP, ...REAL].flatMap((site, index) => turns(index).map(([kind, query, worth]) => ({ ...site, kind, query, worth }))),
)(
  "$name at a warm edge of kind $kind, queries $query: all that is wrong goes, under queries too, and of the right copies just the reported collateral",
  async ({ load, kind, query, worth }) => {
    const { v1, v2 } = await load();
    const [before, after] = [walk(v1), walk(v2)];
    const sandbox = await startSandbox("--pops", "2", "--propagation", "0.3s", "--query", query);
    const asked = kind === "purge" ? purge(sandbox) : distribution(sandbox, `, worth: ${worth}, query: ${query}`);
    const project = new ProjectHere(sandbox.settings(v1, behind(sandbox, asked)), sandbox.facts);
    await project.result(["deliver"]);
    const plain = [...new Set([...before, ...after].flatMap(addressesOf))];
    const pages = plain.filter((address) => /(\/|\.html)$/.test(address));
    const all = [...plain, ...pages.map((one) => `${one}?utm_source=letter`)];
    const held = new Map<string, Set<string>>();
    for (const pop of sandbox.facts.pops) {
      await Promise.all(all.map((address) => visit(pop + address)));
      const again = await Promise.all(all.map(async (address) => ({ address, ...(await visit(pop + address)) })));
      held.set(pop, new Set(again.filter(({ isHit }) => isHit).map(({ address }) => address)));
      expect(held.get(pop)?.size).toBeGreaterThan(all.length * 0.8);
    }

    const { invalidation } = await project.result(["deliver", "--build", v2]);
    const { patterns, addresses, collateral } = invalidation;
    expect(invalidation).toMatchObject({ confirmed: true, owed: [] });
    if (kind === "distribution") {
      expect(patterns.length).toBeLessThanOrEqual(3000);
      expect(patterns.filter((pattern) => pattern.endsWith("*")).length).toBeLessThanOrEqual(15 * 3);
    }

    const wrong = new Set(addresses);
    const fileAt = new Map(after.flatMap((file) => addressesOf(file).map((address) => [address, file])));
    for (const pop of sandbox.facts.pops) {
      const lost = new Set<string>();
      for (const address of all) {
        const [path = ""] = address.split("?");
        const { body, status, isHit, type } = await visit(pop + address);
        const file = fileAt.get(path);
        if (file !== undefined) {
          const bytes = readFileSync(join(v2, file));
          expect([address, status, body.equals(bytes), type]).toEqual([address, 200, true, decideContentType(file, bytes)]);
        } else if (/(\/|\.html)$/.test(path)) expect([address, status]).toEqual([address, 404]);
        // What open tabs may still ask for.
        else if (/\.(js|css)$/.test(path)) expect([address, status]).toEqual([address, 200]);
        if (wrong.has(path) || isHit || held.get(pop)?.has(address) !== true) continue;
        // It was right, it was held, and now it is not.
        expect([address, patterns.some((pattern) => reaches(pattern, address))]).toEqual([address, true]);
        lost.add(path);
      }
      expect(lost.size).toBeLessThanOrEqual(collateral.addresses);
    }
    const isAll = patterns.includes("/*");
    if (!isAll) expect(invalidation.everything.addresses).toBeGreaterThanOrEqual(collateral.addresses);
  },
); // prettier-ignore

const page = (text: string): string => `<!doctype html><title>${text}</title><p>${text}`;
const site = (text: string): Record<string, string> => ({
  "index.html": page(text),
  "news/index.html": page("news"),
  "news/cape wren.html": page("wren"),
  "fleet/avocet.webp": "boat",
});

test("by hand: addresses, globs, what a release changed, everything after asking; what fits nothing is said", async () => {
  const sandbox = await startSandbox();
  const folder = writeFiles(temporaryFolder("hand"), site("one"));
  const project = new ProjectHere(
    sandbox.settings(folder, behind(sandbox, distribution(sandbox, ", query: ignored, confirm: off"))),
    sandbox.facts,
  );
  await project.result(["deliver"]);
  writeFiles(folder, { "index.html": page("two") });
  await project.result(["deliver"]);
  const { edge } = sandbox.facts;
  const names = ["/", "/news/", "/news/cape%20wren.html", "/fleet/avocet.webp"];
  /** Which addresses are fetched anew after a call. */
  const lostAfter = async (...args: string[]): Promise<string[]> => {
    for (const name of names) await visit(edge + name);
    const { exit, stdout, stderr } = await project.run(["invalidate", ...args, "--format", "json"]);
    readResult("invalidation", stdout);
    expect([stderr, exit]).toEqual([expect.any(String), 0]);
    expect(invalidationOf(stdout).owed).toEqual([]);
    const seen = await Promise.all(names.map(async (name) => ({ name, ...(await visit(edge + name)) })));
    return seen.filter(({ isHit }) => !isHit).map(({ name }) => name);
  };
  expect(await lostAfter("/news/")).toEqual(["/news/"]);
  expect(await lostAfter("/news/cape wren.html")).toEqual(["/news/cape%20wren.html"]);
  expect(await lostAfter("/news/*")).toEqual(["/news/", "/news/cape%20wren.html"]);
  expect(await lostAfter("fleet/**")).toEqual(["/fleet/avocet.webp"]);
  expect(await lostAfter("--release", "current")).toEqual(["/"]);
  expect(await lostAfter("--everything", "--dry-run")).toEqual([]);
  expect(await lostAfter("--everything", "--yes")).toEqual(names);
  expect(await lostAfter("--owed")).toEqual([]);
  const codes = async (...args: string[]): Promise<unknown[]> => {
    const { exit, stdout } = await project.run(["invalidate", ...args, "--format", "json"]);
    return [exit, (JSON.parse(stdout) as { error?: { code: string } }).error?.code];
  };
  expect(await codes("nothing/**")).toEqual([2, "no-match"]);
  expect(await codes("/a*b")).toEqual([2, "not-an-address"]);
  expect(await codes("--release", "9")).toEqual([2, "no-such-release"]);
  expect(await codes("--everything")).toEqual([3, "answer-needed"]);
  expect(await codes()).toEqual([2, "usage"]);
});

test("of several edges the outer ones wait for the inner; what one owes is paid by hand or by the next run, and struck", async () => {
  const [sandbox, outer] = [await startSandbox(), await startSandbox()];
  const folder = writeFiles(temporaryFolder("edges"), site("one"));
  const inner = (token: string): string =>
    `    edge:\n      - ${purge(sandbox, ", name: near").replace(sandbox.facts.purgeToken, token)}\n      - ${distribution(outer, ", name: far, query: ignored, confirm: off")}`;
  const settings = (token: string): string => sandbox.settings(folder, inner(token));
  const project = new ProjectHere(settings(sandbox.facts.purgeToken), sandbox.facts);
  await project.result(["deliver"]);
  const asked = (): number =>
    outer.takeLedger().filter(({ operation }) => operation === "CreateInvalidation").length;
  expect(asked()).toBeGreaterThan(0);

  writeFiles(folder, { "index.html": page("two") });
  writeFiles(project.folder, { "courier.yaml": settings("wrong") });
  const failed = await project.run(["deliver", "--format", "json"]);
  expect([failed.exit, invalidationOf(failed.stdout).edges.map(({ edge, confirmed }) => [edge, confirmed])]).toEqual([5, [["near", false], ["far", false]]]); // prettier-ignore
  expect(asked()).toBe(0);
  const still = await project.run(["invalidate", "--owed", "--format", "json"]);
  expect([still.exit, invalidationOf(still.stdout).owed]).toEqual([5, ["/", "/index.html"]]);

  writeFiles(project.folder, { "courier.yaml": settings(sandbox.facts.purgeToken) });
  const paid = await project.run(["invalidate", "--owed", "--format", "json"]);
  expect([paid.exit, invalidationOf(paid.stdout)]).toMatchObject([0, { owed: [] }]);
  // The outer one is taken at its word, which is said as such.
  expect(invalidationOf(paid.stdout).edges.map(({ edge, confirmed }) => [edge, confirmed])).toEqual([
    ["near", true],
    ["far", false],
  ]);
  expect(asked()).toBe(2);
  expect(await project.result(["deliver"])).toMatchObject({ release: 2, invalidation: { addresses: [] }, requests: { put: 0 } }); // prettier-ignore
});

test("what does not fit into what may be in flight is queued, behind own batches and behind others", async () => {
  const sandbox = await startSandbox("--propagation", "1.5s");
  const files = Object.fromEntries(Array.from({ length: 40 }, (_, i) => [`p${i}/x.html`, page(String(i))]));
  const folder = writeFiles(temporaryFolder("queue"), { ...site("one"), ...files });
  const edge = behind(sandbox, distribution(sandbox, ", query: ignored, wildcards: 10"));
  const project = new Project(sandbox.settings(folder, edge), sandbox.facts);
  await project.result(["deliver"]);
  const trees = (from: number): string[] => Array.from({ length: 10 }, (_, i) => `/p${from + i}/*`);
  sandbox.takeLedger();
  const first = project.run(["invalidate", ...trees(0), "--format", "json"]);
  const second = project.run(["invalidate", ...trees(20), "--format", "json"]);
  const [one, two] = [await first, await second];
  expect([one.exit, two.exit]).toEqual([0, 0]);
  expect(one.stderr + two.stderr).toContain("waiting for other invalidations to end");
  const tries = sandbox.takeLedger().filter(({ operation }) => operation === "CreateInvalidation");
  expect(tries.filter(({ status }) => status === 400).length).toBeGreaterThan(0);
  // Each is asked twice.
  expect(tries.filter(({ status }) => status === 201)).toHaveLength(4);
});

/** Said to be all in which anybody asks. */
const ALL_FORMS = `, encodings: ${JSON.stringify(FORMS)}`;

test.each([
  ["holds a copy for each form", ["copy-per-encoding"], ALL_FORMS],
  ["holds a copy for each host", ["copy-per-host"], ""],
  ["says OK to every purge", ["purge-always-ok", "copy-per-encoding"], ALL_FORMS],
  ["serves a purged copy once more", ["soft-purge"], ""],
  ["closes connections without a word", ["answers-per-connection=7"], ""],
  ["tells nothing of its copies and holds 'not found' for long", ["silent", "negative=600"], ""],
  ["takes wildcards", ["purge-wildcards"], ", patterns: path, query: keyed"],
])("an edge that %s answers with the new bytes in every form after a delivery", async (_, traits, more) => {
  const sandbox = await startSandbox(...traits.flatMap((trait) => ["--trait", trait]));
  const [v1, v2] = [`${SITE}/1`, `${SITE}/2`];
  const project = new ProjectHere(sandbox.settings(v1, `    edge: ${purge(sandbox, more)}`), sandbox.facts);
  await project.result(["deliver"]);
  const [before, after] = [walk(v1), walk(v2)];
  const all = [...new Set([...before, ...after].flatMap(addressesOf))];
  const node = sandbox.facts.edge;
  const { host } = new URL(node);
  for (const encoding of FORMS) for (const address of all) await visitNode(node, address, { host, encoding });
  const { invalidation, warnings } = await project.result(["deliver", "--build", v2]);
  expect([invalidation.confirmed, warnings]).toEqual([true, []]);
  if (more.includes("patterns"))
    expect(invalidation.patterns.some((pattern) => pattern.endsWith("*"))).toBe(true);
  for (const encoding of FORMS)
    for (const path of after)
      for (const address of addressesOf(path)) {
        // A copy that is served once more is not for the visitors that are looked at here.
        if (traits.includes("soft-purge")) await visitNode(node, address, { host, encoding });
        const { status, content } = await visitNode(node, address, { host, encoding });
        const isNew = content === readFileSync(join(v2, path), "latin1");
        expect([address, encoding, status, isNew]).toEqual([address, encoding, 200, true]);
      }
});

test("an edge that takes wildcards for addresses, and one that lost what it confirmed, are noticed by reading back", async () => {
  const sandbox = await startSandbox();
  const [v1, v2] = [`${SITE}/1`, `${SITE}/2`];
  const deaf = new ProjectHere(sandbox.settings(v1, `    edge: ${purge(sandbox, ", patterns: path, query: keyed")}`), sandbox.facts);
  // It is found out by trying, before anything is held.
  expect((await deaf.run(["deliver"])).exit).toBe(5);
  for (const address of walk(v1).flatMap(addressesOf)) await visit(sandbox.facts.edge + address);
  const outcome = await deaf.run(["deliver", "--build", v2]);
  expect([outcome.exit, outcome.stderr]).toEqual([5, expect.stringContaining("it seems not to take wildcards")]);
  writeFiles(deaf.folder, { "courier.yaml": sandbox.settings(v2, `    edge: ${purge(sandbox)}`) });
  expect((await deaf.result(["deliver"])).invalidation.confirmed).toBe(true);
  const lossy = await startSandbox(
    "--faults",
    join(writeFiles(temporaryFolder("lossy"), { "faults.yaml": "rules: [{ fault: lost-invalidation, at: edge, operations: [PURGE] }]" }), "faults.yaml"),
  );
  const project = new ProjectHere(lossy.settings(v1, `    edge: ${purge(lossy)}`), lossy.facts);
  // It is found out by trying, before anything is held.
  const first = await project.run(["deliver"]);
  expect([first.exit, first.stderr]).toEqual([5, expect.stringContaining("it accepts purges but forgets nothing")]);
  for (const address of walk(v1).flatMap(addressesOf)) await visit(lossy.facts.edge + address);
  const lost = await project.run(["deliver", "--build", v2]);
  expect([lost.exit, lost.stderr]).toEqual([5, expect.stringContaining("it still has the old copy of /")]);
}); // prettier-ignore

test("pages are not held where an edge can't be asked for all that it holds of them; the run and explain say why", async () => {
  const sandbox = await startSandbox();
  const folder = writeFiles(temporaryFolder("deaf"), site("one"));
  const deaf = purge(sandbox).replace("query: ignored, ", "");
  const project = new ProjectHere(sandbox.settings(folder, `    edge: ${deaf}`), sandbox.facts);
  expect((await project.run(["deliver"])).stdout).toContain("The edge may not keep pages:");
  const { headers } = await fetch(`${sandbox.facts.edge}/news/`);
  expect(headers.get("cache-control")).toBe("public, max-age=0, must-revalidate");
  const explained = await project.run(["explain", "news/index.html"]);
  expect(explained.stdout).toContain("may have copies of them under any query");
});
