import { appendFileSync, mkdirSync, readdirSync, statSync } from "node:fs";
import { join } from "node:path";
import { createS3Store } from "../../src/adapters/stores/s3/s3-store.ts";
import { MemoryStore } from "../../src/adapters/stores/memory/memory-store.ts";
import { RunningSandbox } from "../support/program.ts";
import { createFolderStore } from "../../src/adapters/stores/folder/folder-store.ts";
import { temporaryFolder } from "../support/builds.ts";
import { describeObjectStore, toContent, type StoreAbilities } from "./object-store.ts";

const EVERYTHING: StoreAbilities = {
  ...{ conditions: "all", website: true, headers: true, copiesKeepEtags: true, anyName: true, listed: 1005 },
};

describeObjectStore("memory", EVERYTHING, () => Promise.resolve(new MemoryStore(undefined, () => 1)));

let sandbox: RunningSandbox;
beforeAll(async () => {
  sandbox = await RunningSandbox.start();
  process.env.AWS_ACCESS_KEY_ID = sandbox.facts.accessKeyId;
  process.env.AWS_SECRET_ACCESS_KEY = sandbox.facts.secretAccessKey;
});
afterAll(() => sandbox.stop());

const open = (prefix: string, more: object = {}) =>
  createS3Store({ ...sandbox.facts, prefix, addressing: "path", ...more }, () => undefined);

describeObjectStore("s3 on the sandbox", EVERYTHING, () => Promise.resolve(open("below/here/")));

const OF_FOLDERS = {
  ...{ ...EVERYTHING, website: false, headers: false, copiesKeepEtags: false, anyName: false, listed: 105 },
};

describeObjectStore("folder", OF_FOLDERS, () =>
  Promise.resolve(createFolderStore(temporaryFolder("folder-store"), () => undefined)),
);

describeObjectStore("folder that comes with its first file", OF_FOLDERS, () => {
  const within = temporaryFolder("folder-store");
  return Promise.resolve(createFolderStore(join(within, "previews/main"), () => undefined, within));
});

test("a folder: nothing outside it, no half file, times that rise by a second, no empty folders, nothing made up for a missing mount", async () => {
  const folder = temporaryFolder("folder-store");
  const store = createFolderStore(join(folder, "site"), () => undefined);
  await expect(store.put("a", toContent("x"), {})).rejects.toMatchObject({ kind: "no-such-bucket" });
  mkdirSync(join(folder, "site"));
  for (const key of ["../out", "a/../../out", "/etc", "a//b", "a/", "."])
    await expect(store.put(key, toContent("x"), {})).rejects.toMatchObject({ name: "StoreError" });
  expect(readdirSync(folder)).toEqual(["site"]);
  await store.put("deep/er/page.html", toContent("one"), {});
  const path = join(folder, "site/deep/er/page.html");
  const before = statSync(path).mtimeMs;
  await store.put("deep/er/page.html", toContent("two"), {});
  expect(statSync(path).mtimeMs - before).toBeGreaterThanOrEqual(1000);
  await expect(store.put("deep/er/page.html/sub", toContent("x"), {})).rejects.toMatchObject({
    name: "StoreError",
  });
  await expect(store.put("deep/er", toContent("x"), {})).rejects.toMatchObject({
    facts: { code: "unfit name" },
  });
  await store.remove(["deep/er/page.html"]);
  expect(readdirSync(join(folder, "site")).filter((name) => name !== ".courier")).toEqual([]);
  expect(readdirSync(join(folder, "site/.courier/unfinished"))).toEqual([]);
});

test("a prefix hides everything outside it", async () => {
  await open("").put("outside", toContent("x"), {});
  const keys: string[] = [];
  for await (const page of open("inside/").list()) keys.push(...page.objects.map(({ key }) => key));
  expect(keys).toEqual([]);
});

test.each([
  [{ bucket: "no-such-bucket" }, "no-such-bucket"],
  [{ region: "elsewhere-1" }, "wrong-region"],
  [{ endpoint: "http://127.0.0.1:9" }, "unreachable"],
])("a store that can't be worked with says why: %j", async (settings, kind) => {
  const store = open("", settings);
  await expect(store.get("any")).rejects.toMatchObject({ kind });
  store.close();
});

test("data and settings of the sandbox survive its restart, a journal cut short included", async () => {
  const data = temporaryFolder("restart");
  const first = await RunningSandbox.start(["--trait", "keeps-versions"], data);
  const before = createS3Store({ ...first.facts, prefix: "", addressing: "path" }, () => undefined);
  await before.put("stays", toContent("once"), {});
  const { etag } = await before.put("stays", toContent("here"), { "content-type": "text/plain" });
  await first.stop();
  appendFileSync(`${data}/store/buckets/${first.facts.bucket}/journal.ndjson`, '{"put":{"key":"half');
  const second = await RunningSandbox.start([], data);
  const after = createS3Store({ ...second.facts, prefix: "", addressing: "path" }, () => undefined);
  expect(await after.head("stays")).toMatchObject({
    size: 4,
    etag,
    headers: { "content-type": "text/plain" },
  });
  for await (const page of after.versions?.list() ?? [])
    expect(page.map(({ isCurrent }) => isCurrent)).toEqual([true, false]);
  expect(await after.head("half")).toBeUndefined();
  await second.stop();
});
