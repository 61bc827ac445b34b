import { spawn } from "node:child_process";
import { once } from "node:events";
import { createServer } from "node:https";
import type { AddressInfo } from "node:net";
import { hash } from "node:crypto";
import { writeFileSync } from "node:fs";
import { join } from "node:path";
import { pack } from "tar-stream";
import { systemClock } from "../../src/adapters/clock/system-clock.ts";
import { createDistributionEdge } from "../../src/adapters/edges/distribution/distribution-edge.ts";
import { createPurgeEdge } from "../../src/adapters/edges/purge/purge-edge.ts";
import { systemMachine } from "../../src/adapters/machine/system-machine.ts";
import { systemNetwork } from "../../src/adapters/network/system-network.ts";
import { createHttpSite } from "../../src/adapters/public-site/http-site.ts";
import { createS3Bucket } from "../../src/adapters/stores/s3/bucket.ts";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { analyseBuild } from "../../src/core/build/analysis.ts";
import { toReadPolicy } from "../../src/core/bucket/policies.ts";
import { openBuild } from "../../src/gather/folder-build.ts";
import type { BuildSource } from "../../src/ports/build-source.ts";
import { BELIEVED } from "../support/edges.ts";
import { EdgeError, type Edge } from "../../src/ports/edge.ts";
import { createEdgeCertificate } from "../../src/sandbox/edge/certificate.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { memoryBuild, memoryRules } from "../support/memory-build.ts";
import { RunningSandbox } from "../support/program.ts";
import { toContent } from "./object-store.ts";

/** Nobody listens there. */
const NOBODY = "http://127.0.0.1:9";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start(["--origin", "website"]);
  process.env.AWS_ACCESS_KEY_ID = sandbox.facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = sandbox.facts.secretAccessKey;
});
afterAll(() => sandbox.stop());

interface EdgeChanges {
  readonly at?: string;
  readonly token?: string;
}

const AN_EDGE = { name: "near", identity: "near", confirmation: BELIEVED };
const EDGES: readonly [string, (changes?: EdgeChanges) => Edge, string][] = [
  [
    "a distribution",
    ({ at } = {}) => {
      const { distribution: id, edgeApi } = sandbox.facts;
      const region = "us-east-1";
      const limits = { patterns: 100, wildcards: 5, confirmWithin: 30, worth: 0 };
      const habits = { wildcard: "prefix", query: "ignored" } as const;
      return createDistributionEdge(
        { ...AN_EDGE, id, region, endpoint: at ?? edgeApi, ...limits, ...habits },
        { clock: systemClock, site: createHttpSite(sandbox.facts.edge) },
      );
    },
    "/news/*",
  ],
  [
    "caches that are purged",
    ({ at, token = sandbox.facts.purgeToken } = {}) => {
      const { pops, edge } = sandbox.facts;
      const nodes = at === undefined ? pops : [at];
      const settings = { token, header: "X-Purge-Token", patterns: "none" as const };
      return createPurgeEdge({ ...AN_EDGE, nodes, host: new URL(edge).host, encodings: [], ...settings });
    },
    "/news/",
  ],
];

const RUN = `run-${process.pid}`;

describe.each(EDGES)("the edge port: %s", (_, open, pattern) => {
  const ask = (edge: Edge): Promise<void> => edge.forget({ patterns: ["/", pattern], run: RUN });

  test("when it has confirmed, every point of presence asks the store anew", async () => {
    const { facts } = sandbox;
    const store = createS3Store({ ...facts, prefix: "", addressing: "path" }, () => undefined);
    const headers = { "content-type": "text/html", "cache-control": "max-age=600" };
    const read = (): Promise<string[]> =>
      Promise.all(facts.pops.map(async (point) => (await fetch(`${point}/`)).text()));
    const edge = open();
    // The same patterns again in the same run are asked for again.
    for (const text of ["one", "two"]) {
      await store.put("index.html", toContent(text), headers);
      await ask(edge);
      expect(await read()).toEqual(facts.pops.map(() => text));
    }
    const [place = ""] = edge.places;
    const seen = await edge.look("/", { place, form: "gzip" });
    expect([seen?.status, seen?.hash]).toEqual([200, toContent("two").hash]);
    edge.close();
    // Held now: without being asked, nobody lets go.
    await store.put("index.html", toContent("three"), headers);
    expect(await read()).toEqual(facts.pops.map(() => "two"));
    store.close();
  });

  test("nothing to forget asks for nothing, and what can't be reached is a failure of a kind", async () => {
    const edge = open();
    await edge.forget({ patterns: [], run: RUN });
    edge.close();
    const far = open({ at: NOBODY });
    const failure = await ask(far).catch((error: unknown) => error);
    far.close();
    expect(failure).toBeInstanceOf(EdgeError);
    expect((failure as EdgeError).edge).toBe("near");
  });
});

test("a purge with a wrong token is refused as such", async () => {
  const edge = EDGES[1]?.[1]({ token: "wrong" }) as Edge;
  const asked = edge.forget({ patterns: ["/"], run: RUN });
  await expect(asked).rejects.toMatchObject({ failure: { kind: "denied" } });
  edge.close();
});

const FILES = { "index.html": "<p>one", "news/a b.html": "n", "empty.txt": "", "left/out.txt": "x" };

async function writeArchive(): Promise<string> {
  const file = join(temporaryFolder("archive"), "site.tar");
  const archive = pack();
  for (const [name, text] of Object.entries(FILES)) archive.entry({ name }, text);
  archive.finalize();
  const chunks: Buffer[] = [];
  for await (const chunk of archive) chunks.push(chunk as Buffer);
  writeFileSync(file, Buffer.concat(chunks));
  return file;
}

const SOURCES: readonly [string, () => Promise<BuildSource>][] = [
  ["a folder", () => openBuild(writeFiles(temporaryFolder("build"), FILES))],
  ["an archive", async () => openBuild(await writeArchive())],
];

describe.each(SOURCES)("the build source port: %s", (_, open) => {
  test("what is read is what is opened, and what is left out is not there", async () => {
    const source = await open();
    const build = await source.read(["left/**"]);
    expect(build.files.map(({ path }) => path).sort()).toEqual(["empty.txt", "index.html", "news/a b.html"]);
    const { parcels } = analyseBuild(build, memoryRules(), undefined).wanted;
    for (const parcel of parcels) {
      const content = source.open(parcel);
      const text = FILES[parcel.key as keyof typeof FILES];
      expect([content.hash, content.size]).toEqual([hash("sha256", text), Buffer.byteLength(text)]);
      expect(Buffer.from(content.open() as Uint8Array).toString()).toBe(text);
    }
    expect(source.findChanged(parcels)).toBeUndefined();
    source.close();
  });
});

test("a file that was changed since it was read is told, and never opened as what it was", async () => {
  const folder = writeFiles(temporaryFolder("build"), FILES);
  const source = await openBuild(folder);
  const { parcels } = analyseBuild(await source.read([]), memoryRules(), undefined).wanted;
  writeFiles(folder, { "index.html": "<p>two" });
  expect(source.findChanged(parcels)).toBe("index.html");
  const [changed] = parcels.filter(({ key }) => key === "index.html");
  expect(() => source.open(changed as never).open()).toThrow(
    expect.objectContaining({ code: "build-changed" }) as Error,
  );
  // The tests' own source keeps to the same: it is what most of them run on.
  const memory = memoryBuild(FILES);
  expect(memory.read([]).files.map((file) => file.hash)).toEqual(Object.values(FILES).map((text) => hash("sha256", text))); // prettier-ignore
});

test("the public site port: the decoded body's hash in every form, 'not found' as an answer, and nobody there as none", async () => {
  const { facts } = sandbox;
  const store = createS3Store({ ...facts, prefix: "", addressing: "path" }, () => undefined);
  const text = "<p>timetable ".repeat(400);
  await store.put("fares.html", toContent(text), { "content-type": "text/html" });
  const site = createHttpSite(facts.edge);
  for (const encoding of ["", "gzip", "br", "gzip, deflate, br"]) {
    const answer = await site.ask("/fares.html", { encoding });
    expect([encoding, answer?.status, answer?.hash]).toEqual([encoding, 200, hash("sha256", text)]);
    if (encoding !== "") expect(answer?.size).toBeLessThan(text.length);
  }
  expect(await site.ask("/nowhere.html")).toMatchObject({ status: 404 });
  const nobody = createHttpSite(NOBODY);
  expect(await nobody.ask("/")).toBeUndefined();
  for (const one of [site, nobody]) one.close();
  store.close();
});

test("the bucket port: what is not set is told apart from what is, and what is written is read back", async () => {
  const { facts } = sandbox;
  const bucket = createS3Bucket({ ...facts, bucket: "contract-bucket", prefix: "", addressing: "path" });
  expect(await bucket.isThere()).toBe(false);
  await bucket.create();
  expect(await bucket.isThere()).toBe(true);
  expect(await bucket.readWebsite()).toEqual({ state: "unset" });
  const website = { index: "index.html", error: "404.html", rules: [] };
  await bucket.writeWebsite(website);
  expect(await bucket.readWebsite()).toMatchObject({ state: "set", value: { index: "index.html" } });
  const block = { newLists: true, lists: true, newPolicies: false, policies: false };
  await bucket.writePublicBlock(block);
  expect(await bucket.readPublicBlock()).toEqual({ state: "set", value: block });
  const policy = toReadPolicy({
    ...{ bucket: "contract-bucket", prefix: "", readers: "public", identity: undefined, distributions: [] },
  });
  await bucket.writePolicy(policy);
  expect(await bucket.readPolicy()).toEqual({ state: "set", value: policy });
  await bucket.writePolicy(undefined);
  expect(await bucket.readPolicy()).toEqual({ state: "unset" });
  await bucket.writeTags({ team: "web" });
  expect(await bucket.readTags()).toEqual({ state: "set", value: { team: "web" } });
  await bucket.keepVersions();
  expect(await bucket.readVersioning()).toEqual({ state: "set", value: true });
  bucket.close();
});

test("the network port: addresses, certificates with what is wrong about them, and failures as codes", async () => {
  expect(await systemNetwork.lookUp("localhost")).toMatchObject({ addresses: expect.any(Array) });
  expect(await systemNetwork.lookUp("[::1]")).toEqual({ addresses: ["::1"] });
  const server = createServer(await createEdgeCertificate("expired", Date.now()));
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  const { port } = server.address() as AddressInfo;
  const seen = await systemNetwork.readCertificate("127.0.0.1", port);
  expect(seen).toMatchObject({ names: expect.arrayContaining(["localhost"]), fault: expect.any(String) });
  expect("untilMs" in seen && seen.untilMs < Date.now()).toBe(true);
  server.close();
  expect(await systemNetwork.readCertificate("127.0.0.1", 9)).toEqual({ code: "ECONNREFUSED" });
});

test("the machine port: this process lives, one that has ended does not, and of another machine nobody knows", async () => {
  const own = systemMachine.describe();
  expect([systemMachine.isAlive(own), systemMachine.describe()]).toEqual([true, own]);
  const child = spawn(process.execPath, ["-e", ""]);
  const ended = { ...own, process: child.pid as number };
  await once(child, "exit");
  expect(systemMachine.isAlive(ended)).toBe(false);
  expect(systemMachine.isAlive({ ...own, host: "elsewhere" })).toBeUndefined();
});

test("the clock port: time does not go back, chance stays below 1, and what is to happen again ends when it is told to", async () => {
  const before = systemClock.monotonicMs();
  let times = 0;
  const stop = systemClock.every(1, () => (times += 1));
  while (times < 3) await systemClock.sleep(2);
  stop();
  const then = times;
  await systemClock.sleep(10);
  expect([times, systemClock.monotonicMs() > before]).toEqual([then, true]);
  expect(Array.from({ length: 100 }, () => systemClock.random()).every((one) => one >= 0 && one < 1)).toBe(
    true,
  );
});
