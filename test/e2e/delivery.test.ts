import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { decideContentType } from "../../src/core/build/content-type.ts";
import type { DeliveryResult } from "../../src/results/delivery.ts";
import type { ObjectStore } from "../../src/ports/object-store.ts";
import { listRealBuilds, unpackRealBuild, walk, type RealBuild } from "../support/builds.ts";
import { Project, RunningSandbox, type LedgerLine } from "../support/program.ts";
import { readText } from "../contracts/object-store.ts";
import { isSoak } from "../support/seeds.ts";

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
  process.env.AWS_ACCESS_KEY_ID = sandbox.facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = sandbox.facts.secretAccessKey;
});
afterAll(() => sandbox.stop());

const builds = listRealBuilds({ others: isSoak });
test("there are real builds to deliver", () => {
  expect(builds.length).toBeGreaterThanOrEqual(3);
});

describe.each(builds)("the build of $name", (archive) => {
  const prefix = `${archive.name}/`;
  let build: RealBuild;
  let project: Project;
  let store: ObjectStore;
  const deliver = (folder: string): Promise<DeliveryResult> => project.result(["deliver", "--build", folder]);
  const keysOf = (lines: readonly LedgerLine[], operation: string): string[] =>
    lines.filter((line) => line.operation === operation).map(({ key = "" }) => key.slice(prefix.length));
  const isRecord = (key: string): boolean => key.startsWith(".courier/");
  /** What went over the wire: files under their own names, and workers into the vault, by the hash of their bytes. */
  const listSent = (lines: readonly LedgerLine[], folder: string): { sent: string[]; workers: string[] } => {
    const puts = new Set(keysOf(lines, "PutObject"));
    const isKept = (path: string): boolean => puts.has(`.courier/vault/${hashOf(folder, path)}`);
    // Two workers with the same bytes are sent once.
    const workers = walk(folder).filter((path) => !puts.has(path) && isKept(path));
    return { sent: [...[...puts].filter((key) => !isRecord(key)), ...workers].sort(), workers };
  };
  const listCopied = (lines: readonly LedgerLine[]): string[] =>
    keysOf(lines, "CopyObject").filter((key) => !isRecord(key));

  beforeAll(async () => {
    build = await unpackRealBuild(archive);
    project = new Project(sandbox.settings(build.v1, "", archive.name), sandbox.facts);
    store = createS3Store({ ...sandbox.facts, prefix, addressing: "path" }, () => undefined);
    sandbox.takeLedger();
  });

  test("the first delivery sends every file, with its bytes, type and cache header", async () => {
    const result = await deliver(build.v1);
    expect(result).toMatchObject({
      release: 1,
      previous: 0,
      counts: { new: walk(build.v1).length, unchanged: 0 },
    });
    expect(listSent(sandbox.takeLedger(), build.v1).sent).toEqual(walk(build.v1));
    await expectStored(store, build.v1);
  });

  test("the second writes nothing: two GETs and the list", async () => {
    sandbox.takeLedger();
    expect(await deliver(build.v1)).toMatchObject({
      release: 1,
      previous: 1,
      counts: { unchanged: walk(build.v1).length },
    });
    const asked = sandbox.takeLedger().map(({ operation }) => operation);
    expect(asked.sort()).toEqual(["GetObject", "GetObject", "ListObjectsV2"]);
  });

  test("the third sends exactly what changed, copies what moved, and keeps what open tabs need", async () => {
    const { added, changed, removed, movedBytes } = build.truth;
    const before = await listKeys(store);
    sandbox.takeLedger();
    const result = await deliver(build.v2);
    const ledger = sandbox.takeLedger();
    const { sent, workers } = listSent(ledger, build.v2);
    expect(sent).toEqual([...added, ...changed].filter((key) => !movedBytes.includes(key)).sort());
    // What ends in a slash stands for a page under its folder's address: the same bytes, copied inside the store.
    const copied = listCopied(ledger).filter((key) => !key.endsWith("/"));
    expect(copied.sort()).toEqual([...movedBytes, ...workers].sort());
    expect(result.counts).toMatchObject({
      new: added.length - movedBytes.length,
      moved: movedBytes.length,
      replaced: changed.length,
      unchanged: build.truth.unchanged,
      stale: removed.length,
    });
    await expectStored(store, build.v2);

    const after = await listKeys(store);
    const gone = removed.filter((key) => !after.has(key));
    expect(gone).toEqual(result.pruned.filter((key) => !key.endsWith("/")));
    expect(gone.filter((key) => key.endsWith(".html"))).toEqual(
      removed.filter((key) => key.endsWith(".html")).sort(),
    );
    expect(removed.filter((key) => /\.(js|css)$/.test(key) && !after.has(key))).toEqual([]);
    for (const key of [...gone, ...changed]) {
      expect(before.has(key)).toBe(true);
      expect(await readText(await store.get(`.courier/vault/${hashOf(build.v1, key)}`))).toBe(
        readFileSync(join(build.v1, key), "utf8"),
      );
    }
  });

  test("back to the first build, nothing is sent: the vault and the kept assets have it all", async () => {
    sandbox.takeLedger();
    const result = await deliver(build.v1);
    expect(listSent(sandbox.takeLedger(), build.v1).sent).toEqual([]);
    expect(result.bytes.sent).toBe(0);
    await expectStored(store, build.v1);
  });
});

async function listKeys(store: ObjectStore): Promise<Set<string>> {
  const keys = new Set<string>();
  for await (const page of store.list()) for (const { key } of page.objects) keys.add(key);
  return keys;
}

const hashOf = (folder: string, path: string): string =>
  createHash("sha256")
    .update(readFileSync(join(folder, path)))
    .digest("hex");

async function expectStored(store: ObjectStore, folder: string): Promise<void> {
  const found = await Promise.all(
    walk(folder).map(async (path) => {
      const read = await store.get(path);
      const bytes: Uint8Array[] = [];
      for await (const chunk of read?.body ?? []) bytes.push(chunk);
      return {
        path,
        hash: createHash("sha256").update(Buffer.concat(bytes)).digest("hex"),
        type: read?.headers["content-type"],
        cache: read?.headers["cache-control"],
      };
    }),
  );
  expect(found.length).toBeGreaterThan(20);
  for (const { path, hash, type, cache } of found) {
    expect({ path, hash }).toEqual({ path, hash: hashOf(folder, path) });
    expect({ path, type }).toEqual({ path, type: decideContentType(path, readFileSync(join(folder, path))) });
    expect({ path, cache }).toEqual({ path, cache: expect.stringMatching(/^public, max-age=\d+/) as string });
    if (path.endsWith(".html"))
      expect({ path, type, cache }).toEqual({
        path,
        type: "text/html; charset=utf-8",
        cache: "public, max-age=0, must-revalidate",
      });
  }
}
