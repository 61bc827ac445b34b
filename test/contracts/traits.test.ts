import { hash } from "node:crypto";
import { join } from "node:path";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import type { ObjectStore, ObjectVersion, TryAgain } from "../../src/ports/object-store.ts";
import { temporaryFolder, writeFiles } from "../support/builds.ts";
import { createRetry } from "../../src/perform/retry.ts";
import { STILL } from "../support/memory-build.ts";
import { RunningSandbox } from "../support/program.ts";
import { describeObjectStore, readText, toContent, kindOf } from "./object-store.ts";

/** How real stores differ: each trait of the sandbox is seen through the adapter, which must make the best of it. */

const running: RunningSandbox[] = [];
afterAll(() => Promise.all(running.map((sandbox) => sandbox.stop())));

async function open(...traits: string[]): Promise<ObjectStore> {
  const sandbox = await start(...traits.flatMap((trait) => ["--trait", trait]));
  return createS3Store({ ...sandbox.facts, prefix: "site/", addressing: "path" }, () => undefined);
}

async function start(...args: string[]): Promise<RunningSandbox> {
  const sandbox = await RunningSandbox.start(args);
  running.push(sandbox);
  process.env.AWS_ACCESS_KEY_ID = sandbox.facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = sandbox.facts.secretAccessKey;
  return sandbox;
}

const USUAL = { website: true, headers: true, anyName: true, listed: 105 } as const;

describeObjectStore(
  "s3 on a sandbox that encrypts by a key service and locks its objects",
  { ...USUAL, conditions: "all", copiesKeepEtags: false },
  () => open("opaque-etags", "locks-objects"),
);

describeObjectStore(
  "s3 on a sandbox that checks conditions of puts only, and refuses those on the ETags of parts",
  { ...USUAL, conditions: "puts", copiesKeepEtags: true },
  () => open("write-conditions=puts", "parts-unpinned", "no-checksums"),
);

const BYTES = Buffer.alloc(65 * 1024 * 1024, "a");
/** So large that it goes in parts. */
const LARGE: ReturnType<typeof toContent> = {
  size: BYTES.length,
  hash: hash("sha256", BYTES),
  open: () => BYTES,
};

test.each([
  [[], "copied"],
  [["parts-unpinned"], "precondition"],
])(
  "a large file goes in parts, and its ETag is good as the condition of a copy or not: %j",
  async (traits, end) => {
    const store = await open(...traits);
    const { etag } = await store.put("film.mp4", LARGE, {});
    expect(etag).toMatch(/-9$/);
    const copy = store.copy({ key: "film.mp4", etag }, "copy.mp4").then(() => "copied", kindOf);
    expect(await copy).toBe(end);
    await store.copy({ key: "film.mp4" }, "other.mp4", undefined, { ifAbsent: true });
    expect((await store.head("other.mp4"))?.size).toBe(65 * 1024 * 1024);
  },
);

test("a bucket that locks takes large files, too, and keeps every version from being removed", async () => {
  const store = await open("locks-objects");
  await store.put("film.mp4", LARGE, {});
  await store.put("film.mp4", toContent("short"), {});
  await store.remove(["film.mp4"]);
  const { versions } = store;
  expect(await versions?.isLocked()).toBe(true);
  const all = await list(store);
  expect(all.map(({ key, size, isCurrent }) => [key, size, isCurrent])).toEqual([
    ["film.mp4", 5, false],
    ["film.mp4", 65 * 1024 * 1024, false],
  ]);
  await expect(versions?.remove(all)).rejects.toMatchObject({ kind: "denied" });
});

test("versions are listed below the prefix, read and removed; what stands is not touched by that", async () => {
  const store = await open("keeps-versions");
  await store.put("a b+c%.txt", toContent("first"), {});
  await store.put("a b+c%.txt", toContent("second"), {});
  await store.put("other.txt", toContent("x"), {});
  await store.remove(["other.txt"]);
  const [current, first, other] = await list(store);
  expect([current?.isCurrent, first?.isCurrent, other?.key]).toEqual([true, false, "other.txt"]);
  expect(await readText(await store.versions?.read(first as ObjectVersion))).toBe("first");
  await store.versions?.remove([first as ObjectVersion, other as ObjectVersion]);
  expect((await list(store)).map(({ id }) => id)).toEqual([current?.id]);
  expect(await readText(await store.get("a b+c%.txt"))).toBe("second");
  expect(await store.versions?.isLocked()).toBe(false);
});

async function list({ versions }: ObjectStore): Promise<ObjectVersion[]> {
  const found: ObjectVersion[] = [];
  for await (const page of versions?.list() ?? []) found.push(...page);
  return found;
}

test("a bucket that keeps no versions says so by having no earlier ones", async () => {
  const store = await open();
  await store.put("a.txt", toContent("first"), {});
  await store.put("a.txt", toContent("second"), {});
  expect((await list(store)).map(({ key, isCurrent }) => [key, isCurrent])).toEqual([["a.txt", true]]);
});

test("sums of what was sent are kept and copied along, where the store keeps any", async () => {
  for (const [traits, kept] of [
    [["opaque-etags"], hash("sha256", "bytes")],
    [["no-checksums"], undefined],
  ] as const) {
    const store = await open(...traits);
    await store.put("a.txt", toContent("bytes"), {});
    await store.copy({ key: "a.txt" }, "b.txt");
    for (const key of ["a.txt", "b.txt"])
      expect([traits, (await store.head(key))?.hash]).toEqual([traits, kept]);
  }
});

test("of conditional writes at one moment one is done, and the others are told to try again", async () => {
  const store = await open("write-conflicts");
  const tries = Array.from({ length: 5 }, (_, number) =>
    store.put("race", toContent(`by ${number}`), {}, { ifAbsent: true }).then(() => "written", kindOf),
  );
  const ends = await Promise.all(tries);
  expect(ends.filter((end) => end === "written")).toHaveLength(1);
  expect(ends).toContain("conflict");
});

test("what is missing is 'denied' to whoever may not list, or only below a prefix: there the list tells, else nobody can", async () => {
  const arn = "arn:aws:s3:::practice";
  const objects = { Effect: "Allow", Action: ["s3:GetObject", "s3:PutObject"], Resource: [`${arn}/site/*`] };
  const lists = { Effect: "Allow", Action: ["s3:ListBucket"], Resource: [arn], Condition: { StringLike: { "s3:prefix": ["site/*"] } } }; // prettier-ignore
  for (const [statements, end] of [
    [[objects, lists], undefined],
    [[objects], "denied"],
  ] as const) {
    const policy = writeFiles(temporaryFolder("policy"), { "policy.json": JSON.stringify({ Statement: statements }) }); // prettier-ignore
    const sandbox = await RunningSandbox.start(["--policy", join(policy, "policy.json")]);
    running.push(sandbox);
    const { limited } = sandbox.facts;
    process.env.AWS_ACCESS_KEY_ID = limited?.accessKeyId;
    process.env.AWS_SECRET_ACCESS_KEY = limited?.secretAccessKey;
    const store = createS3Store({ ...sandbox.facts, prefix: "site/", addressing: "path" }, () => undefined);
    await store.put("there", toContent("x"), {});
    expect(await readText(await store.get("there"))).toBe("x");
    for (const look of [() => store.get("ther"), () => store.head("missing")])
      expect(await look().catch(kindOf)).toBe(end);
  }
});

test("more metadata than the protocol lets an object have is refused", async () => {
  const store = await open();
  const headers = { "x-amz-meta-route": "n".repeat(2043) };
  await store.put("a.txt", toContent("x"), headers);
  await expect(store.put("a.txt", toContent("x"), { "x-amz-meta-route": "n".repeat(2044) })).rejects.toMatchObject({ facts: { code: "MetadataTooLarge" } }); // prettier-ignore
});

test("a part of a large file that breaks is tried again by nobody but whom the adapter was given", async () => {
  const rules = "rules: [{ fault: server-error, operations: [UploadPart], after: 2, times: 1 }]\n";
  const file = join(writeFiles(temporaryFolder("faults"), { "faults.yaml": rules }), "faults.yaml");
  const open = async (again?: TryAgain): Promise<ObjectStore> => {
    const { facts } = await start("--faults", file);
    return createS3Store({ ...facts, prefix: "site/", addressing: "path" }, () => undefined, again);
  };
  const alone = await open();
  await expect(alone.put("film.mp4", LARGE, {})).rejects.toMatchObject({ kind: "server" });
  let retries = 0;
  const helped = await open(
    createRetry({ clock: STILL, report: () => undefined, countRetry: () => (retries += 1) }),
  );
  expect((await helped.put("film.mp4", LARGE, {})).etag).toMatch(/-9$/);
  expect(retries).toBe(1);
  for (const store of [alone, helped]) store.close();
});
